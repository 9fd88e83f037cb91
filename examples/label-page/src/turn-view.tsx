import { Badge, Paper, Tooltip } from '@mantine/core'
import type { FinishedTurn } from 'dunelight'
import { nameOrigin } from './origin-names.js'

/** A finished turn, each span shaded by its origin, which is named when pointed at or reached by the keyboard. */
export function TurnView({ turn }: { turn: FinishedTurn }) {
  return (
    <Paper component="article" className="turn" withBorder aria-label={`${turn.role} turn`}>
      <Badge variant="light" color="gray" className="turn-role">
        {turn.role}
      </Badge>
      <pre className="turn-text">
        {turn.origins.map((origin, i) => (
          <Tooltip
            key={i}
            label={nameOrigin(origin)}
            withArrow
            multiline
            maw={420}
            openDelay={120}
            events={{ hover: true, focus: true, touch: true }}
          >
            <span
              className={`segment segment-${origin.kind}`}
              data-origin={nameOrigin(origin)}
              tabIndex={origin.kind === 'fixed' ? undefined : 0}
            >
              {turn.text.slice(origin.start, origin.end)}
            </span>
          </Tooltip>
        ))}
      </pre>
    </Paper>
  )
}
