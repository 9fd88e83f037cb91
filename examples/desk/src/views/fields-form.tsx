import { ActionIcon, Autocomplete, Button, Checkbox, Group, Select, TextInput } from '@mantine/core'
import { useMemo, useState } from 'react'
import { cellText } from 'dunelight/parts'
import { parseDocument } from 'yaml'
import { withKey, type KeyChange } from '../model/yaml-edit.js'
import type { Desk } from '../state/desk.js'
import { useDesk } from './use-desk.js'
import './fields-form.css'

type Data = Readonly<Record<string, unknown>>

/** What kinds of files declare, and under which key. */
const DECLARED: Readonly<Record<string, readonly [key: string, words: string]>> = {
  prompts: ['variables', 'variable'],
  snippets: ['variables', 'variable'],
  outputs: ['fields', 'field'],
  examples: ['fields', 'field'],
}
const TYPES = ['text', 'integer', 'number', 'boolean', 'date', 'date-time', 'choice', 'list of text', 'record', 'file']
const NAME = /^[\p{L}][\p{L}\p{N}-]*$/u

/** Whether a file can be edited as a form. */
export function hasForm(file: string): boolean {
  return /\.yaml$/.test(file) && ['prompts', 'snippets', 'outputs', 'examples', 'personas'].includes(file.split('/')[0] ?? '')
}

/** A file as a form: it edits the same text, and keeps its comments and order. Every change can be undone. */
export function FieldsForm({ desk, file }: { desk: Desk; file: string }) {
  const text = useDesk(desk, (s) => s.library.files[file] ?? '')
  const personas = useDesk(desk, (s) => s.shown.library.artefacts.personas)
  const [before, setBefore] = useState<readonly string[]>([])
  const read = useMemo(() => dataIn(text), [text])
  const write = (next: string) => {
    if (next === text) return
    setBefore([...before, text])
    desk.editing.write(file, next)
  }
  const change = (change: KeyChange) => write(withKey(text, change))
  const undo = () => {
    const last = before.at(-1)
    if (last === undefined) return
    setBefore(before.slice(0, -1))
    desk.editing.write(file, last)
  }
  if (!read) return <p className="empty bad">The file has an error that its text shows. Correct it there first.</p>
  const folder = file.split('/')[0] ?? ''
  const declared = DECLARED[folder]
  return (
    <div className="fields-form">
      <Group gap="xs">
        <Button size="compact-xs" variant="default" disabled={before.length === 0} onClick={undo}>
          Undo
        </Button>
      </Group>
      {['title', 'about', ...(folder === 'personas' ? ['who'] : [])].map((key) => (
        <Words key={key} label={key} value={read[key]} onKeep={(value) => change({ path: [], key, value })} />
      ))}
      {folder === 'prompts' && personas.size > 0 && (
        <Select
          size="xs"
          label="persona"
          clearable
          // A persona that depends on a value is none of the list, and stays until another is chosen.
          data={[...new Set([...personas.keys(), ...(typeof read['persona'] === 'string' ? [read['persona']] : [])])]}
          value={typeof read['persona'] === 'string' ? read['persona'] : null}
          onChange={(value) => change({ path: [], key: 'persona', value: value ?? undefined })}
        />
      )}
      {folder === 'personas' &&
        ['voice', 'always', 'never'].map((key) => (
          <Words
            key={key}
            label={`${key}, separated by ;`}
            value={Array.isArray(read[key]) ? read[key].join('; ') : read[key]}
            onKeep={(value) => change({ path: [], key, value: listIn(value) })}
          />
        ))}
      {declared && <Declarations path={[declared[0]]} what={declared[1]} all={read[declared[0]]} onChange={change} hasOptional />}
    </div>
  )
}

interface DeclarationsProps {
  readonly path: readonly string[]
  /** What is declared, in a word. */
  readonly what: string
  readonly all: unknown
  readonly onChange: (change: KeyChange) => void
  readonly hasOptional: boolean
}

function Declarations({ path, what, all, onChange, hasOptional }: DeclarationsProps) {
  const [name, setName] = useState('')
  const map = isData(all) ? all : {}
  const isNew = NAME.test(name) && !Object.hasOwn(map, name)
  const add = () => {
    onChange({ path, key: name, value: 'text' })
    setName('')
  }
  return (
    <section className="declarations" aria-label={`${what}s`}>
      {Object.entries(map).map(([key, value]) => (
        <Declaration key={key} path={[...path, key]} value={value} onChange={onChange} hasOptional={hasOptional} />
      ))}
      <Group gap={6} align="end">
        <TextInput
          size="xs"
          label={`new ${what}`}
          placeholder="a-name"
          value={name}
          error={name !== '' && !isNew ? 'letters, digits and hyphens, and no name that is there' : undefined}
          onChange={(event) => setName(event.currentTarget.value)}
          onKeyDown={(event) => event.key === 'Enter' && isNew && add()}
        />
        <Button size="xs" variant="default" disabled={!isNew} onClick={add}>
          Add
        </Button>
      </Group>
    </section>
  )
}

interface DeclarationProps extends Omit<DeclarationsProps, 'all' | 'what'> {
  readonly value: unknown
}

function Declaration({ path, value, onChange, hasOptional }: DeclarationProps) {
  const name = path.at(-1) ?? ''
  const map: Data = isData(value) ? value : { type: value }
  const set = (key: string, next: unknown) =>
    key === 'type' && !isData(value)
      ? onChange({ path: path.slice(0, -1), key: name, value: next })
      : onChange({ path, key, value: next, short: 'type' })
  const [type, setType] = useState<string>()
  const shownType = type ?? (typeof map['type'] === 'string' ? map['type'] : '')
  return (
    <fieldset className="declaration">
      <legend>{name}</legend>
      <div className="declaration-fields">
        <Autocomplete
          size="xs"
          label="type"
          data={TYPES}
          value={shownType}
          onChange={setType}
          onOptionSubmit={(next) => {
            setType(undefined)
            set('type', next)
          }}
          onBlur={() => {
            if (type !== undefined && type !== map['type']) set('type', type)
            setType(undefined)
          }}
        />
        <Words label="help" value={map['about']} onKeep={(next) => set('about', next)} />
        <Words
          label="default"
          value={map['default']}
          onKeep={(next) => set('default', next === undefined ? undefined : plainValue(next))}
        />
        {map['type'] === 'choice' && (
          <Words
            label="choices, separated by ;"
            value={Array.isArray(map['of']) ? map['of'].join('; ') : undefined}
            onKeep={(next) => set('of', listIn(next))}
          />
        )}
        {hasOptional && (
          <Checkbox
            size="xs"
            label="required"
            checked={map['optional'] !== true}
            onChange={(event) => set('optional', event.currentTarget.checked ? undefined : true)}
          />
        )}
        <ActionIcon
          size="sm"
          variant="subtle"
          color="gray"
          aria-label={`remove ${name}`}
          onClick={() => onChange({ path: path.slice(0, -1), key: name, value: undefined })}
        >
          ✕
        </ActionIcon>
      </div>
      {isData(map['fields']) && (
        <Declarations path={[...path, 'fields']} what="field" all={map['fields']} onChange={onChange} hasOptional={hasOptional} />
      )}
    </fieldset>
  )
}

/** A text that is kept when the focus leaves it: half a word is no change of the file. */
function Words({ label, value, onKeep }: { label: string; value: unknown; onKeep: (value: string | undefined) => void }) {
  const [typed, setTyped] = useState<string>()
  const now = cellText(value)
  const keep = () => {
    if (typed !== undefined && typed !== now) onKeep(typed === '' ? undefined : typed)
    setTyped(undefined)
  }
  return (
    <TextInput
      size="xs"
      label={label}
      dir="auto"
      value={typed ?? now}
      onChange={(event) => setTyped(event.currentTarget.value)}
      onBlur={keep}
      onKeyDown={(event) => event.key === 'Enter' && keep()}
    />
  )
}

function listIn(text: string | undefined): readonly string[] | undefined {
  const items = (text ?? '')
    .split(';')
    .map((item) => item.trim())
    .filter((item) => item !== '')
  return items.length === 0 ? undefined : items
}

/** Numbers and yes or no as such. */
function plainValue(text: string): unknown {
  if (text === 'true' || text === 'false') return text === 'true'
  return /^-?\d+(?:\.\d+)?$/.test(text) ? Number(text) : text
}

function dataIn(text: string): Data | undefined {
  const document = parseDocument(text, { version: '1.2' })
  if (document.errors.length > 0) return undefined
  const data: unknown = document.toJS()
  return isData(data) ? data : {}
}

function isData(value: unknown): value is Data {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}
