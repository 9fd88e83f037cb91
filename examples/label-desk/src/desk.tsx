import { Group, Text, Title } from '@mantine/core'
import { useMemo, useState } from 'react'
import { libraryFrom, ProblemError, type Library, type Problem, type Rendering } from 'dunelight'
import { FILES, readObjects, type DeskObject } from './demo.js'
import { Legend } from './legend.js'
import { ObjectList } from './object-list.js'
import { ProblemList } from './problem-list.js'
import { TurnView } from './turn-view.js'
import { ValueForm, type Values } from './value-form.js'

const PROMPT = 'label/write'

/** Everything on one page: choose an object, read the finished prompt, change a value and see it move. */
export function Desk() {
  const library = useMemo(() => libraryFrom(FILES), [])
  const prompt = useMemo(() => library.prompt(PROMPT), [library])
  const objects = useMemo(() => readObjects(prompt), [prompt])
  const [chosen, setChosen] = useState(objects[0]!)
  const [changes, setChanges] = useState<Values>({})
  const values = useMemo(() => merge(chosen, changes), [chosen, changes])
  const outcome = useMemo(() => attempt(library, values, chosen), [library, values, chosen])

  const choose = (object: DeskObject) => {
    setChosen(object)
    setChanges({})
  }
  return (
    <div className="desk">
      <header className="desk-head">
        <Group align="baseline" gap="md">
          <Title order={1} size="h3">
            Label desk
          </Title>
          <Text c="dimmed" size="sm">
            {library.title} · {prompt.title.toLowerCase()} · {objects.length} objects
          </Text>
        </Group>
        <Legend />
      </header>
      <ObjectList objects={objects} chosen={chosen} onChoose={choose} />
      <main className="desk-turns" aria-label="finished turns">
        {'turns' in outcome ? (
          outcome.turns.map((turn, i) => <TurnView key={i} turn={turn} />)
        ) : (
          <ProblemList problems={outcome.problems} />
        )}
      </main>
      <ValueForm variables={prompt.variables} values={values} onChange={(path, value) => setChanges({ ...changes, [path]: value })} />
    </div>
  )
}

/** A row's values with what was typed over them; `item.title` names a field. */
function merge(object: DeskObject, changes: Values): Values {
  const merged: Record<string, unknown> = { ...object.values }
  for (const [path, value] of Object.entries(changes)) {
    const [name = '', field] = path.split('.', 2)
    merged[name] = field === undefined ? value : { ...(merged[name] as object | undefined), [field]: value }
  }
  return merged
}

function attempt(library: Library, values: Values, object: DeskObject): Rendering | { problems: readonly Problem[] } {
  if (!object.values) return { problems: object.problems }
  try {
    return library.prompt(PROMPT).render(values, { record: object.id, origins: true })
  } catch (fault) {
    if (fault instanceof ProblemError) return { problems: fault.problems }
    throw fault
  }
}
