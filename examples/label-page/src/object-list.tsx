import { Button, FileButton, NavLink, ScrollArea, Text, TextInput } from '@mantine/core'
import { useMemo, useState, type DragEvent } from 'react'
import { ProblemList } from './problem-list.js'
import type { DeskObject, DeskTable } from './table.js'

interface Props {
  readonly table: DeskTable
  readonly chosen: DeskObject
  readonly onChoose: (object: DeskObject) => void
  readonly onOpen: (table: File) => void
}

/** More than these are not looked through with the eyes. */
const MOST_SHOWN = 300
const KINDS = '.csv,.tsv,.txt,.jsonl,.json,.yaml'

/**
 * The register: searched by number or by any word of the title. Objects that cannot be rendered are marked here already. Another table replaces it
 * where its file is dropped.
 */
export function ObjectList({ table, chosen, onChoose, onOpen }: Props) {
  const [words, setWords] = useState('')
  const [over, setOver] = useState(false)
  const objects = useMemo(() => {
    const wanted = words.toLowerCase().split(/\s+/)
    return table.objects.filter((o) => wanted.every((word) => `${o.id} ${o.title}`.toLowerCase().includes(word)))
  }, [table, words])
  /** What was looked for in the table before is not looked for in the next. */
  const open = (file: File | null | undefined) => {
    if (!file) return
    setWords('')
    onOpen(file)
  }
  const drop = (event: DragEvent) => {
    event.preventDefault()
    setOver(false)
    open(event.dataTransfer.files[0])
  }
  const drag = (event: DragEvent) => {
    event.preventDefault()
    setOver(true)
  }
  return (
    <nav
      className={over ? 'label-page-list label-page-drop' : 'label-page-list'}
      aria-label="objects"
      onDrop={drop}
      onDragOver={drag}
      onDragLeave={() => setOver(false)}
    >
      <TextInput placeholder="Number or word" aria-label="find an object" value={words} onChange={(e) => setWords(e.currentTarget.value)} />
      <ScrollArea className="label-page-scroll" type="auto">
        {table.problems.length > 0 && <ProblemList problems={table.problems} />}
        {objects.slice(0, MOST_SHOWN).map((object, i) => (
          <NavLink
            key={`${object.id} ${i}`}
            active={object === chosen}
            color="dark"
            label={object.title}
            description={!object.values ? `${object.id} · rejected` : object.id}
            onClick={() => onChoose(object)}
          />
        ))}
        {objects.length === 0 && (
          <Text size="sm" c="dimmed" p="sm">
            {table.objects.length === 0 ? 'This table has no objects.' : 'No matching objects.'}
          </Text>
        )}
        {objects.length > MOST_SHOWN && (
          <Text size="sm" c="dimmed" p="sm">
            … and {(objects.length - MOST_SHOWN).toLocaleString('en')} more: a word finds them.
          </Text>
        )}
      </ScrollArea>
      <FileButton onChange={open} accept={KINDS}>
        {(props) => (
          <Button {...props} variant="default" size="xs">
            Open or drop a table
          </Button>
        )}
      </FileButton>
    </nav>
  )
}
