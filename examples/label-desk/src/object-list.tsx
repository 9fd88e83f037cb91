import { NavLink, ScrollArea, Text, TextInput } from '@mantine/core'
import { useMemo, useState } from 'react'
import type { DeskObject } from './demo.js'

interface Props {
  readonly objects: readonly DeskObject[]
  readonly chosen: DeskObject
  readonly onChoose: (object: DeskObject) => void
}

/** The register: found by number or by any word of the title. Objects that cannot be rendered say so here already. */
export function ObjectList({ objects, chosen, onChoose }: Props) {
  const [words, setWords] = useState('')
  const shown = useMemo(() => {
    const wanted = words.toLowerCase().split(/\s+/)
    return objects.filter((o) => wanted.every((word) => `${o.id} ${o.title}`.toLowerCase().includes(word)))
  }, [objects, words])
  return (
    <nav className="desk-list" aria-label="objects">
      <TextInput placeholder="Number or word" aria-label="find an object" value={words} onChange={(e) => setWords(e.currentTarget.value)} />
      <ScrollArea className="desk-scroll" type="auto">
        {shown.map((object) => (
          <NavLink
            key={object.id}
            active={object.id === chosen.id}
            color="dark"
            label={object.title}
            description={!object.values ? `${object.id} · set aside` : object.id}
            onClick={() => onChoose(object)}
          />
        ))}
        {shown.length === 0 && (
          <Text size="sm" c="dimmed" p="sm">
            No object is called that.
          </Text>
        )}
      </ScrollArea>
    </nav>
  )
}
