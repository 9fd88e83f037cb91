import { Alert, Stack, Text } from '@mantine/core'
import type { Problem } from 'dunelight'

/** The problems that keep a record from being rendered, each with the likeliest fix. */
export function ProblemList({ problems }: { problems: readonly Problem[] }) {
  return (
    <Stack gap="sm" role="alert">
      {problems.map((p, i) => (
        <Alert key={i} color={p.severity === 'error' ? 'red' : 'yellow'} title={p.message} variant="light">
          {p.hint !== undefined && <Text size="sm">{p.hint}</Text>}
          {p.place && (
            <Text size="xs" c="dimmed">
              {p.place.file}, line {p.place.line}
            </Text>
          )}
        </Alert>
      ))}
    </Stack>
  )
}
