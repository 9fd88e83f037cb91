import { Select } from '@mantine/core'
import { memo, useRef } from 'react'

export interface Choice {
  readonly value: string
  readonly label: string
}

interface Props {
  readonly label: string
  readonly data: readonly Choice[]
  readonly value: string | null
  readonly placeholder?: string
  readonly width?: number
  readonly onChoose: (value: string) => void
}

/** One of a list. Drawn again only where its list or its choice is another: the page draws itself at every key, and a select is dear. */
export const Chooser = memo(
  function Chooser({ label, data, value, placeholder, width, onChoose }: Props) {
    const latest = useRef(onChoose)
    latest.current = onChoose
    return (
      <Select
        size="xs"
        {...(width === undefined ? { className: 'grow' } : { w: width })}
        aria-label={label}
        searchable={data.length > 8}
        data={[...data]}
        value={value}
        placeholder={placeholder ?? ''}
        allowDeselect={false}
        onChange={(next) => next !== null && latest.current(next)}
      />
    )
  },
  (item, other) =>
    item.value === other.value && item.placeholder === other.placeholder && JSON.stringify(item.data) === JSON.stringify(other.data),
)

/** Texts that are called what they are. */
export function choices(values: readonly string[]): Choice[] {
  return values.map((value) => ({ value, label: value }))
}
