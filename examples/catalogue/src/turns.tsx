import { Group, Text, Tooltip } from '@mantine/core'
import type { TraceResult } from '@dunelight/serve'
import type { OriginKind } from 'dunelight/parts'

const KINDS: Readonly<Record<OriginKind, string>> = {
  fixed: 'prompt',
  value: 'values',
  snippet: 'snippet',
  persona: 'persona',
  example: 'example',
  output: 'output form',
  made: 'generated',
}

/** Rendered turns, each span marked by its origin. */
export function Turns({ result: { turns, fingerprint, warnings } }: { readonly result: TraceResult }) {
  const kinds = [...new Set(turns.flatMap(({ origins }) => origins.map(({ kind }) => kind)))]
  return (
    <>
      <Group gap="xs" my="xs" aria-label="Origins">
        {kinds.map((kind) => (
          <Text key={kind} span size="sm" className={`origin-${kind}`}>
            {KINDS[kind]}
          </Text>
        ))}
        <Text size="xs" c="dimmed" ml="auto">
          {`fingerprint ${fingerprint.slice(0, 12)}`}
        </Text>
      </Group>
      {warnings.map((warning) => (
        <Text key={warning} size="sm" c="orange">
          {warning}
        </Text>
      ))}
      {turns.map(({ role, text, origins }, i) => (
        <article key={i} aria-label={`${role} turn`} className="turn">
          <Text size="xs" fw={600} c="dimmed">
            {role}
          </Text>
          <pre className="source">
            {origins.map(({ kind, start, end, path, place }) => (
              <Tooltip
                key={start}
                label={`${KINDS[kind]}${path === undefined ? '' : `: ${path}`} · ${place.file}, line ${place.line}`}
                openDelay={150}
              >
                <bdi className={`origin-${kind}`}>{text.slice(start, end)}</bdi>
              </Tooltip>
            ))}
          </pre>
        </article>
      ))}
    </>
  )
}
