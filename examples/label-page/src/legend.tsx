import { Group } from '@mantine/core'
import { KIND_NAMES, SHOWN_KINDS } from './origin-names.js'

/** What the shades mean. */
export function Legend() {
  return (
    <Group gap="sm" aria-label="legend">
      {SHOWN_KINDS.map((kind) => (
        <span key={kind} className={`legend segment segment-${kind}`}>
          {KIND_NAMES[kind]}
        </span>
      ))}
    </Group>
  )
}
