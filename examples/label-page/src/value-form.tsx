import { NumberInput, ScrollArea, SegmentedControl, Select, Stack, TagsInput, Text, Textarea, TextInput } from '@mantine/core'
import { describe, type Declared } from 'dunelight/parts'

export type Values = Readonly<Record<string, unknown>>

interface Props {
  readonly variables: readonly Declared[]
  readonly values: Values
  readonly onChange: (path: string, value: unknown) => void
}

/** A form of the declared variables: each field is what its type asks for. */
export function ValueForm({ variables, values, onChange }: Props) {
  return (
    <aside className="label-page-values" aria-label="values">
      <ScrollArea className="label-page-scroll" type="auto">
        <Stack gap="xs" pr="sm">
          {variables.map((d) =>
            d.type.kind === 'record' && d.type.fields ? (
              d.type.fields.map((f) => {
                const record = values[d.name] as Values | undefined
                return (
                  <Field key={f.name} declared={f} value={record?.[f.name]} onChange={(value) => onChange(`${d.name}.${f.name}`, value)} />
                )
              })
            ) : (
              <Field key={d.name} declared={d} value={values[d.name] ?? d.default} onChange={(value) => onChange(d.name, value)} />
            ),
          )}
        </Stack>
      </ScrollArea>
    </aside>
  )
}

interface FieldProps {
  readonly declared: Declared
  readonly value: unknown
  readonly onChange: (value: unknown) => void
}

function Field({ declared, value, onChange }: FieldProps) {
  const { type, name, about, untrusted } = declared
  const notes = [about, untrusted ? 'untrusted' : undefined].filter((note) => note !== undefined)
  const common = { label: name, description: notes.join(' · ') || undefined, size: 'xs' as const }
  switch (type.kind) {
    case 'choice':
      return type.of.length <= 2 ? (
        <div>
          <Text size="xs" fw={500}>
            {name}
          </Text>
          <SegmentedControl size="xs" fullWidth aria-label={name} data={[...type.of]} value={String(value)} onChange={onChange} />
        </div>
      ) : (
        <Select {...common} data={[...type.of]} value={String(value)} onChange={onChange} />
      )
    case 'integer':
    case 'number':
      return (
        <NumberInput {...common} value={typeof value === 'number' ? value : ''} onChange={(next) => onChange(next === '' ? null : next)} />
      )
    case 'list':
      return <TagsInput {...common} value={Array.isArray(value) ? value.map(String) : []} onChange={onChange} />
    case 'text':
      return untrusted ? (
        <Textarea
          {...common}
          autosize
          minRows={3}
          maxRows={8}
          value={(value as string | null) ?? ''}
          onChange={(e) => onChange(e.currentTarget.value)}
        />
      ) : (
        <TextInput {...common} value={(value as string | null) ?? ''} onChange={(e) => onChange(e.currentTarget.value)} />
      )
    case 'date':
      return <TextInput {...common} type="date" value={(value as string | null) ?? ''} onChange={(e) => onChange(e.currentTarget.value)} />
    default:
      return <TextInput {...common} readOnly value={describe(type)} />
  }
}
