import { defined } from 'dunelight/host'
import { Alert, Anchor } from '@mantine/core'
import type { Problem } from 'dunelight'
import type { FilePlace } from '../state/page-state.js'
import { placeIn } from './origins.js'

interface Props {
  readonly problems: readonly Problem[]
  readonly onPlace?: (place: FilePlace) => void
}

const COLOURS = { error: 'red', warning: 'yellow', info: 'gray' } as const
const MOST = 12

/** The problems, each with the likeliest fix and a link to its place. */
export function ProblemList({ problems, onPlace }: Props) {
  if (problems.length === 0) return null
  return (
    <div role="alert" className="problems">
      {problems.slice(0, MOST).map((p, i) => (
        <Alert key={i} color={COLOURS[p.severity]} variant="light" title={p.message} p="xs">
          {p.hint !== undefined && <div>{p.hint}</div>}
          {p.place && p.span && (
            <Anchor component="button" type="button" size="xs" onClick={() => onPlace?.(placeIn(defined(p.place).file, defined(p.span)))}>
              {p.place.file}, line {p.place.line}
            </Anchor>
          )}
        </Alert>
      ))}
      {problems.length > MOST && <p>… and {problems.length - MOST} more</p>}
    </div>
  )
}
