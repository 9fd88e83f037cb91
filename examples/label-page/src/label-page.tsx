import { Group, SegmentedControl, Select, Text, Title } from '@mantine/core'
import { useMemo, useState } from 'react'
import { ProblemError, type Library, type Problem, type Prompt, type Rendering } from 'dunelight'
import { defined } from 'dunelight/host'
import { FILES, openFiles, REGISTER } from './demo.js'
import { FileEditor } from './file-editor.js'
import { Legend } from './legend.js'
import { ObjectList } from './object-list.js'
import { ProblemList } from './problem-list.js'
import { readTable, type DeskObject } from './table.js'
import { TurnView } from './turn-view.js'
import { ValueForm, type Values } from './value-form.js'

const PROMPT = 'label/write'
const LABEL_FILE = `prompts/${PROMPT}.yaml`
/** The demo as it was shipped: rows are read for this prompt, whatever is edited. */
const shipped = openFiles(FILES).prompt(PROMPT)
const register = await readTable(REGISTER, shipped)

type View = 'finished turns' | 'library file'

/** Everything on one page: choose an object, read the finished prompt, change a value or a file and see it move. */
export function LabelPage() {
  const [files, setFiles] = useState(FILES)
  const [file, setFile] = useState(LABEL_FILE)
  const [view, setView] = useState<View>('finished turns')
  const [table, setTable] = useState(register)
  const [chosen, setChosen] = useState(defined(register.objects[0]))
  const [changes, setChanges] = useState<Values>({})
  const library = useMemo(() => openFiles(files), [files])
  const prompt = useMemo(() => soundPrompt(library), [library])
  const values = useMemo(() => merge(chosen, changes), [chosen, changes])
  const outcome = useMemo(() => attempt(prompt, values, chosen), [prompt, values, chosen])

  const choose = (object: DeskObject) => {
    setChosen(object)
    setChanges({})
  }
  const open = async (dropped: File) => {
    const next = await readTable(dropped, shipped)
    setTable(next)
    if (next.objects[0]) choose(next.objects[0])
  }
  return (
    <div className="label-page">
      <header className="label-page-head">
        <Group align="baseline" gap="md">
          <Title order={1} size="h3">
            Label page
          </Title>
          <Text c="dimmed" size="sm">
            {library.title} · {table.name} · {table.objects.length.toLocaleString('en')} objects
          </Text>
        </Group>
        <Legend />
      </header>
      <ObjectList table={table} chosen={chosen} onChoose={choose} onOpen={(dropped) => void open(dropped)} />
      <main className="label-page-turns" aria-label={view}>
        <Group justify="space-between">
          <SegmentedControl
            size="xs"
            data={['finished turns', 'library file'] satisfies View[]}
            value={view}
            onChange={(next) => setView(next)}
          />
          {view === 'library file' && (
            <Select
              size="xs"
              w={260}
              aria-label="file"
              data={Object.keys(FILES)}
              value={file}
              allowDeselect={false}
              onChange={(next) => setFile(next ?? LABEL_FILE)}
            />
          )}
        </Group>
        {view === 'library file' ? (
          <FileEditor key={file} file={file} files={files} onEdit={(text) => setFiles((before) => ({ ...before, [file]: text }))} />
        ) : 'turns' in outcome ? (
          outcome.turns.map((turn, i) => <TurnView key={i} turn={turn} />)
        ) : (
          <ProblemList problems={outcome.problems} />
        )}
      </main>
      <ValueForm variables={shipped.variables} values={values} onChange={(path, value) => setChanges({ ...changes, [path]: value })} />
    </div>
  )
}

/** The prompt, or what is wrong with it as its files stand. */
function soundPrompt(library: Library): Prompt | readonly Problem[] {
  try {
    return library.prompt(PROMPT)
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems
    throw fault
  }
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

function attempt(prompt: Prompt | readonly Problem[], values: Values, object: DeskObject): Rendering | { problems: readonly Problem[] } {
  if (!('render' in prompt)) return { problems: prompt }
  if (!object.values) return { problems: object.problems }
  try {
    return prompt.render(values, { record: object.id, origins: true })
  } catch (fault) {
    if (fault instanceof ProblemError) return { problems: fault.problems }
    throw fault
  }
}
