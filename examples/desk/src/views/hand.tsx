import { withLocalTime } from '../model/date-time.js'
import { Button, Checkbox, FileInput, NumberInput, SegmentedControl, Select, TagsInput, Text, Textarea, TextInput } from '@mantine/core'
import { useState } from 'react'
import type { FileValue } from 'dunelight'
import { describe, type Declared } from 'dunelight/parts'
import type { Desk } from '../state/desk.js'
import { useDesk } from './use-desk.js'
import './hand.css'

export type Values = Readonly<Record<string, unknown>>

/** A form made of the prompt's variables: for values that no table has, or over those of the record. */
export function HandView({ desk }: { desk: Desk }) {
  const prompt = useDesk(desk, (s) => s.shown.subject?.prompt)
  const hand = useDesk(desk, (s) => s.editing.hand)
  const sheet = useDesk(desk, (s) => s.shown.sheet)
  if (!prompt) return null
  const values = hand ?? sheet.record?.prepared?.values ?? {}
  const set = (name: string, value: unknown) => desk.editing.fillIn({ ...values, [name]: value })
  return (
    <section className="hand" aria-label="values by hand">
      <div className="hand-tools">
        <span>
          {hand ? 'Custom values; the table is unchanged.' : 'The values of the selected record. Changes are rendered immediately.'}
        </span>
        <Button size="compact-xs" variant="default" disabled={!hand} onClick={() => desk.editing.fillIn(undefined)}>
          Back to the record
        </Button>
        <Button size="compact-xs" variant="default" onClick={() => desk.editing.fillIn(blank(prompt.variables))}>
          Blank form
        </Button>
      </div>
      <div className="hand-fields">
        {prompt.variables.length === 0 && <p className="empty">This prompt has no variables.</p>}
        {prompt.variables.map((variable) => (
          <Variable key={variable.name} declared={variable} value={values[variable.name]} onChange={(value) => set(variable.name, value)} />
        ))}
      </div>
    </section>
  )
}

/** What a form begins with: defaults, and what the prompt gives as an example. */
function blank(variables: readonly Declared[]): Record<string, unknown> {
  return Object.fromEntries(
    variables.flatMap((variable) => {
      if (variable.type.kind === 'record' && variable.type.fields) return [[variable.name, blank(variable.type.fields)]]
      return variable.default === undefined ? [] : [[variable.name, variable.default]]
    }),
  )
}

const NO_FILE = 'choose a file, or drop it here'

interface FieldProps {
  readonly declared: Declared
  readonly value: unknown
  readonly onChange: (value: unknown) => void
}

function Variable({ declared, value, onChange }: FieldProps) {
  const { type, name, about } = declared
  if (type.kind !== 'record' || !type.fields) return <Field declared={declared} value={value} onChange={onChange} />
  const record = (value ?? {}) as Values
  return (
    <fieldset>
      <legend>
        {name}
        {about !== undefined && <Text component="span" size="xs" c="var(--quiet)">{` ${about}`}</Text>}
      </legend>
      {type.fields.map((field) => (
        <Field
          key={field.name}
          declared={field}
          value={record[field.name]}
          onChange={(next) => onChange({ ...record, [field.name]: next })}
        />
      ))}
    </fieldset>
  )
}

/** Choices of up to this many characters are shown side by side; longer ones are a list. */
const MOST_BESIDE = 20

/** One field is what its type asks for; its question is its name where it has one. */
function Field({ declared, value, onChange }: FieldProps) {
  const { type, name, about, untrusted, question } = declared
  const required = !declared.optional && declared.default === undefined
  const notes = [about, untrusted ? 'untrusted' : undefined].filter((note) => note !== undefined)
  const common = {
    label: question ?? name,
    'aria-label': question === undefined ? name : `${question} (${name})`,
    description: notes.join(' · ') || undefined,
    size: 'xs' as const,
    withAsterisk: required,
    required,
  }
  const text = typeof value === 'string' ? value : ''
  switch (type.kind) {
    case 'choice':
      return type.of.length <= 3 && type.of.join('').length <= MOST_BESIDE ? (
        <div className="field">
          <Text size="xs" fw={500}>
            {question ?? name}
          </Text>
          <SegmentedControl
            size="xs"
            aria-label={name}
            data={[...type.of]}
            value={text || (declared.default as string | undefined) || ''}
            onChange={onChange}
          />
        </div>
      ) : (
        <Select {...common} data={[...type.of]} value={text || ((declared.default as string | undefined) ?? null)} onChange={onChange} />
      )
    case 'boolean':
      return <Checkbox label={question ?? name} size="xs" checked={value === true} onChange={(e) => onChange(e.currentTarget.checked)} />
    case 'integer':
    case 'number':
      return (
        <NumberInput
          {...common}
          hideControls
          allowDecimal={type.kind === 'number'}
          value={typeof value === 'number' ? value : ''}
          onChange={(next) => onChange(next === '' ? null : next)}
        />
      )
    case 'date':
      return <TextInput {...common} type="date" value={text} onChange={(e) => onChange(e.currentTarget.value || null)} />
    case 'date-time':
      return (
        <TextInput
          {...common}
          type="datetime-local"
          value={text.slice(0, 16)}
          onChange={(e) => onChange(withLocalTime(text, e.currentTarget.value))}
        />
      )
    case 'list':
      return type.item.kind === 'text' || type.item.kind === 'choice' ? (
        <TagsInput {...common} value={Array.isArray(value) ? value.map(String) : []} onChange={onChange} />
      ) : (
        <AsJson {...common} value={value} onChange={onChange} />
      )
    case 'file':
      return (
        <div
          onDragOver={(event) => event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault()
            const [file] = event.dataTransfer.files
            if (file) void fileValue(file).then(onChange)
          }}
        >
          <FileInput
            {...common}
            placeholder={(value as FileValue | undefined)?.name ?? NO_FILE}
            aria-label={`${name}: ${(value as FileValue | undefined)?.name ?? NO_FILE}`}
            styles={{ placeholder: { color: 'var(--quiet)' } }}
            onChange={(file) => file && void fileValue(file).then(onChange)}
          />
        </div>
      )
    case 'text':
      return (
        <Textarea
          {...common}
          autosize
          minRows={untrusted ? 3 : 1}
          maxRows={8}
          dir="auto"
          value={text}
          onChange={(e) => onChange(e.currentTarget.value)}
        />
      )
    default:
      return <AsJson {...common} description={describe(type)} value={value} onChange={onChange} />
  }
}

/** Lists of records, tables and turns are written as data. */
function AsJson({
  value,
  onChange,
  ...common
}: {
  value: unknown
  onChange: (value: unknown) => void
  label: string
  description?: string | undefined
}) {
  const [typed, setTyped] = useState<string>()
  const [wrong, setWrong] = useState(false)
  return (
    <Textarea
      {...common}
      size="xs"
      autosize
      minRows={2}
      maxRows={10}
      classNames={{ input: 'mono' }}
      value={typed ?? (value === undefined || value === null ? '' : JSON.stringify(value, null, 1))}
      error={wrong ? 'invalid JSON' : undefined}
      onChange={(event) => {
        const text = event.currentTarget.value
        setTyped(text)
        try {
          onChange(text.trim() === '' ? null : JSON.parse(text))
          setWrong(false)
        } catch {
          setWrong(true)
        }
      }}
      onBlur={() => !wrong && setTyped(undefined)}
    />
  )
}

async function fileValue(file: File): Promise<FileValue> {
  const mediaType = file.type || 'application/octet-stream'
  const bytes = new Uint8Array(await file.arrayBuffer())
  const isText = mediaType.startsWith('text/') || /\.(?:md|txt|csv|json|yaml)$/.test(file.name)
  return isText
    ? { name: file.name, mediaType: file.type || 'text/plain', text: new TextDecoder().decode(bytes) }
    : { name: file.name, mediaType, bytes }
}
