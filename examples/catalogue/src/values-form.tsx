import { Checkbox, Fieldset, JsonInput, NumberInput, Select, Stack, Textarea, TextInput } from '@mantine/core'
import type { ShownProblem } from '@dunelight/serve'
import { useState } from 'react'

/** As much of a JSON Schema as the form shows. */
interface Schema {
  readonly type?: string | readonly string[]
  readonly enum?: readonly unknown[]
  readonly format?: string
  readonly title?: string
  readonly description?: string
  readonly properties?: Readonly<Record<string, Schema>>
  readonly required?: readonly string[]
  readonly maxLength?: number
}

type Values = Readonly<Record<string, unknown>>

interface FormProps {
  readonly schema: Schema
  readonly values: Values
  readonly problems: readonly ShownProblem[]
  /** Where the values lie in all values, as a JSON Pointer. */
  readonly at?: string
  readonly onChange: (values: Values) => void
}

/** A field for each value of a prompt, with its help, and with what is wrong with it. */
export function ValuesForm({ schema, values, problems, at = '', onChange }: FormProps) {
  return (
    <Stack gap="xs">
      {Object.entries(schema.properties ?? {}).map(([name, field]) => (
        <Field
          key={name}
          name={name}
          schema={field}
          isRequired={schema.required?.includes(name) ?? false}
          value={values[name]}
          problems={problems}
          at={`${at}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`}
          onChange={(value) => onChange(value === undefined ? without(values, name) : { ...values, [name]: value })}
        />
      ))}
    </Stack>
  )
}

interface FieldProps extends Omit<FormProps, 'values' | 'onChange' | 'at'> {
  readonly name: string
  readonly isRequired: boolean
  readonly value: unknown
  readonly at: string
  readonly onChange: (value: unknown) => void
}

function Field({ name, schema, isRequired, value, problems, at, onChange }: FieldProps) {
  const type = typeof schema.type === 'object' ? schema.type.find((item) => item !== 'null') : schema.type
  const shared = {
    label: schema.title ?? name,
    description: schema.description,
    required: isRequired,
    error: problems.find(({ pointer }) => pointer === at)?.message,
  }
  if (type === 'object' && schema.properties)
    return (
      <Fieldset legend={name}>
        <ValuesForm schema={schema} values={isRecord(value) ? value : {}} problems={problems} at={at} onChange={onChange} />
      </Fieldset>
    )
  if (schema.enum) {
    const options = schema.enum.filter((item): item is string => typeof item === 'string')
    const chosen = typeof value === 'string' ? value : null
    return <Select {...shared} data={options} value={chosen} clearable={!isRequired} onChange={(item) => onChange(item ?? undefined)} />
  }
  switch (type) {
    case 'integer':
    case 'number':
      return (
        <NumberInput
          {...shared}
          value={typeof value === 'number' ? value : ''}
          allowDecimal={type === 'number'}
          onChange={(number) => onChange(typeof number === 'number' ? number : undefined)}
        />
      )
    case 'boolean':
      return <Checkbox {...shared} checked={value === true} onChange={(event) => onChange(event.currentTarget.checked)} />
    case 'string': {
      const text = typeof value === 'string' ? value : ''
      const change = (next: string) => onChange(next === '' && !isRequired ? undefined : next)
      const isShort = schema.format !== undefined || (schema.maxLength ?? Infinity) <= 120
      return isShort ? (
        <TextInput {...shared} value={text} onChange={(event) => change(event.currentTarget.value)} />
      ) : (
        <Textarea {...shared} value={text} autosize minRows={1} maxRows={8} onChange={(event) => change(event.currentTarget.value)} />
      )
    }
    default:
      return <JsonField {...shared} value={value} onChange={onChange} />
  }
}

/** Lists, documents and open records are written as JSON. */
function JsonField({ value, onChange, ...shared }: { readonly value: unknown; readonly onChange: (value: unknown) => void }) {
  const [text, setText] = useState(value === undefined ? '' : JSON.stringify(value))
  return (
    <JsonInput
      {...shared}
      value={text}
      autosize
      minRows={1}
      maxRows={8}
      validationError="this is not JSON"
      onChange={(next) => {
        setText(next)
        try {
          onChange(next.trim() === '' ? undefined : (JSON.parse(next) as unknown))
        } catch {
          // The field says so when it is left.
        }
      }}
    />
  )
}

function without(values: Values, name: string): Values {
  return Object.fromEntries(Object.entries(values).filter(([key]) => key !== name))
}

function isRecord(value: unknown): value is Values {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}
