import { memo, useEffect, useMemo, useRef, useState, type KeyboardEvent, type MouseEvent, type FocusEvent } from 'react'
import { Button } from '@mantine/core'
import type { FinishedTurn, Origin } from 'dunelight'
import type { FilePart } from 'dunelight/parts'
import type { Desk } from '../state/desk.js'
import type { EditingState } from '../state/page-state.js'
import { beginPrompt } from './commands.js'
import { isAt, KIND_NAMES, KIND_WORDS, KINDS, nameOrigin, placeOf, sourceOf } from './origins.js'
import { ProblemList } from './problem-list.js'
import { useDesk } from './use-desk.js'
import './sheet.css'

/** The finished turns of the chosen record as one page; every span shows its origin, and leads there. */
export function SheetView({ desk }: { desk: Desk }) {
  const sheet = useDesk(desk, (s) => s.shown.sheet)
  const before = useDesk(desk, (s) => s.shown.before)
  const cursor = useDesk(desk, (s) => s.editing.cursor)
  const row = useDesk(desk, (s) => s.selection.row)
  const { table, reading } = useDesk(desk, (s) => s.table)
  const hasPrompt = useDesk(desk, (s) => s.selection.wanted.prompt !== '')
  const [pointed, setPointed] = useState<Origin>()
  const host = useRef<HTMLDivElement>(null)
  const turns = (sheet.rendering ?? before)?.turns ?? NONE
  useEffect(() => {
    if (!reading) desk.drawn()
  }, [desk, reading])
  const origins = useMemo(() => turns.flatMap((turn) => turn.origins), [turns])

  // What the cursor in the source lights is brought into view, where it is not.
  useEffect(() => {
    // In braces: newer browsers give something back, which no effect may.
    host.current?.querySelector('.lit')?.scrollIntoView({ block: 'nearest' })
  }, [cursor, turns])

  const originOf = (target: EventTarget): Origin | undefined => {
    const segment = (target as HTMLElement).closest<HTMLElement>('[data-at]')
    return segment ? origins[Number(segment.dataset['at'])] : undefined
  }
  const point = (event: MouseEvent | FocusEvent) => {
    const origin = originOf(event.target)
    if (origin === pointed) return
    setPointed(origin)
    desk.editing.point(origin && placeOf(origin))
  }
  const jump = (target: EventTarget) => {
    const origin = originOf(target)
    if (origin) desk.editing.jump(sourceOf(origin, desk.state.shown.library))
  }
  const key = (event: KeyboardEvent) => {
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key]
    if (event.key === 'Enter') {
      // The focus is in the source then, and the key's own deed would be done there.
      event.preventDefault()
      jump(event.target)
    } else if (step !== undefined) {
      const now = Number((event.target as HTMLElement).closest<HTMLElement>('[data-at]')?.dataset['at'] ?? -1)
      const next = host.current?.querySelector<HTMLElement>(`[data-at="${now + step}"]`)
      next?.focus()
      next?.scrollIntoView({ block: 'nearest' })
      event.preventDefault()
    }
  }
  let first = 0
  return (
    <div className="sheet">
      <div className="origin-line" role="status">
        {pointed ? nameOrigin(pointed) : 'Point at a span, or use the arrow keys, to see its origin. Enter opens it.'}
      </div>
      <div
        className={before ? 'sheet-scroll stale' : 'sheet-scroll'}
        ref={host}
        role="region"
        aria-label="finished sheet"
        onMouseOver={point}
        onFocus={point}
        onMouseLeave={() => {
          setPointed(undefined)
          desk.editing.point(undefined)
        }}
        onClick={(event) => {
          if (window.getSelection()?.isCollapsed !== false) jump(event.target)
        }}
        onKeyDown={key}
      >
        <ProblemList problems={sheet.problems} onPlace={(place) => desk.editing.jump(place)} />
        {turns.map((turn, i) => {
          const from = first
          first += turn.origins.length
          return <Turn key={i} turn={turn} from={from} cursor={cursor} />
        })}
        {turns.length === 0 && sheet.problems.length === 0 && (
          <p className="empty">{emptyWords(hasPrompt, reading, table?.rows.length, row)}</p>
        )}
        {!hasPrompt && (
          <Button size="xs" ml={18} onClick={() => beginPrompt(desk)}>
            New prompt
          </Button>
        )}
      </div>
      <Legend />
    </div>
  )
}

const NONE: readonly FinishedTurn[] = []

function emptyWords(hasPrompt: boolean, reading: boolean, rows: number | undefined, row: number): string {
  if (!hasPrompt) return 'This library has no prompt yet.'
  if (reading) return 'Reading the table …'
  return rows === 0 ? 'The table has no rows. Fill in the form instead.' : `Row ${row + 1} does not match the batch’s filter.`
}

interface TurnProps {
  readonly turn: FinishedTurn
  /** The number of its first span on the sheet. */
  readonly from: number
  readonly cursor: EditingState['cursor']
}

const Turn = memo(function Turn({ turn, from, cursor }: TurnProps) {
  return (
    <article className="turn" aria-label={`${turn.role} turn`}>
      <h2 className="turn-role">{turn.role}</h2>
      <div className="turn-text" dir="auto">
        {turn.origins.map((origin, i) => (
          <span
            key={i}
            className={`segment from-${origin.kind}${isAt(origin, cursor) ? ' lit' : ''}`}
            data-at={from + i}
            tabIndex={from + i === 0 ? 0 : -1}
            title={nameOrigin(origin)}
          >
            {turn.text.slice(origin.start, origin.end)}
          </span>
        ))}
      </div>
      {turn.parts && (
        <ul className="parts" aria-label="attached">
          {turn.parts.map((part, i) => (
            <li key={i}>
              {part.kind === 'text' ? (
                <details>
                  <summary>{`${part.name}, text, ${part.text.length} characters`}</summary>
                  <div className="attached-text">{part.text}</div>
                </details>
              ) : (
                <AttachedFile part={part} />
              )}
            </li>
          ))}
        </ul>
      )}
    </article>
  )
})

/** A picture as it is handed over; any other document by its name, to be opened. */
function AttachedFile({ part }: { part: FilePart }) {
  const { name, mediaType, bytes } = part
  const [address, setAddress] = useState<string>()
  useEffect(() => {
    const made = URL.createObjectURL(new Blob([new Uint8Array(bytes)], { type: mediaType }))
    setAddress(made)
    return () => URL.revokeObjectURL(made)
  }, [bytes, mediaType])
  // An SVG is a program to a browser: it is shown as a picture only, where it can do nothing.
  return (
    <>
      {`${name}, ${mediaType}, ${Math.ceil(bytes.length / 1024)} kB `}
      {address !== undefined && !mediaType.includes('svg') && !mediaType.includes('html') && (
        <a href={address} download={name}>
          save it
        </a>
      )}
      {address !== undefined && mediaType.startsWith('image/') && (
        <img className="attached-picture" src={address} alt={`the attached ${name}`} />
      )}
    </>
  )
}

function Legend() {
  return (
    <ul className="legend" aria-label="legend">
      {KINDS.map((kind) => (
        <li key={kind} className={`segment from-${kind}`} title={KIND_NAMES[kind]}>
          {KIND_WORDS[kind]}
        </li>
      ))}
    </ul>
  )
}
