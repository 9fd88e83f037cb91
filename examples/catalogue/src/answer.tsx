import { Badge, Group, Text } from '@mantine/core'
import type { AskResult } from '@dunelight/serve'

/** A model's answer as data, with what is to be known of it. */
export function Answer({ result }: { readonly result: AskResult }) {
  const { answer, text, model, usage, repairs, unsupported, notes, corrections, cached, isMock } = result
  const remarks = [
    ...unsupported.map((claim) => `unsupported: ${claim}`),
    ...repairs.map((repair) => `repaired: ${repair}`),
    ...notes.map((note) => `noted: ${note}`),
  ]
  return (
    <div className={isMock ? 'mock' : undefined}>
      <Group gap="xs" my="xs">
        <Badge variant={isMock ? 'default' : 'light'} tt="none">
          {isMock ? 'mock answer' : model}
        </Badge>
        {cached && (
          <Badge variant="default" tt="none">
            cached
          </Badge>
        )}
        {corrections > 0 && <Badge variant="default" tt="none">{`${corrections} corrections`}</Badge>}
        {usage && (
          <Text size="xs" c="dimmed">
            {`${usage.sent} tokens sent, ${usage.received} received`}
          </Text>
        )}
      </Group>
      <pre className="source">{typeof answer === 'string' ? answer : JSON.stringify(answer, null, 2)}</pre>
      {remarks.map((remark) => (
        <Text key={remark} size="sm" c="orange">
          {remark}
        </Text>
      ))}
      {typeof answer !== 'string' && (
        <details>
          <summary>The reply as it came</summary>
          <pre className="source">{text}</pre>
        </details>
      )}
    </div>
  )
}
