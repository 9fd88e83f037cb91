import { memo, useEffect, useRef } from 'react'
import type { Problem } from 'dunelight'
import { defined } from 'dunelight/host'
import { cellText } from 'dunelight/parts'
import { ROW } from '../model/pass.js'
import type { Desk } from '../state/desk.js'

interface RowProps {
  readonly desk: Desk
  readonly cells: readonly unknown[]
  readonly headings: readonly string[]
  /** The row's number in the table, from 0. */
  readonly row: number
  /** Its place in the order shown. */
  readonly index: number
  readonly top: number
  readonly chosen: boolean
  readonly focusable: boolean
  readonly follow: { current: boolean }
  readonly state: number
  readonly changed: boolean
  readonly tokens: number
  /** Why it is rejected. */
  readonly problems: readonly Problem[]
}

/** Drawn again only where something of it is another: a grid is scrolled a few rows at a time. */
export const Row = memo(function Row(props: RowProps) {
  const { desk, cells, headings, row, index, top, chosen, focusable, follow, state, changed, tokens, problems } = props
  const self = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (!chosen || !follow.current) return
    self.current?.focus({ preventScroll: true })
    follow.current = false
  }, [chosen, follow])
  const unfit = new Set(problems.flatMap((p) => ('column' in p.data ? [p.data.column] : [])))
  const why = problems.map((p) => p.message).join('; ')
  const [mark, words] = defined(MARKS[state])
  return (
    <div
      ref={self}
      className={`grid-row${chosen ? ' chosen' : ''}${state === ROW.out ? ' left-out' : ''}`}
      role="row"
      aria-rowindex={index + 2}
      aria-selected={chosen}
      tabIndex={focusable ? 0 : -1}
      style={{ transform: `translateY(${top}px)` }}
      onClick={() => desk.selection.chooseRow(row)}
      title={why || undefined}
    >
      <span
        className={`cell state state-${state}`}
        role="gridcell"
        aria-label={`${words}${tokens > 0 ? `, ${tokens} tokens` : ''}${changed ? ', changed' : ''}${why === '' ? '' : `: ${why}`}`}
      >
        {mark}
        {changed && <span className="changed">≠</span>}
        {tokens > 0 && <span className="tokens">{tokens}</span>}
      </span>
      <span className="cell number" role="gridcell">
        {row + 1}
      </span>
      {headings.map((heading, column) => (
        <span
          key={column}
          className={unfit.has(heading) ? 'cell unfit' : 'cell'}
          role="gridcell"
          dir="auto"
          aria-invalid={unfit.has(heading) || undefined}
        >
          {clipped(cellText(cells[column]))}
        </span>
      ))}
    </div>
  )
})

export const NO_PROBLEMS: readonly Problem[] = []

/** States differ by their characters, not by colour alone. */
const MARKS: Readonly<Record<number, readonly [string, string]>> = {
  [ROW.unknown]: ['', 'not rendered yet'],
  [ROW.fits]: ['✓', 'fits'],
  [ROW.rejected]: ['✕', 'rejected'],
  [ROW.out]: ['–', 'left out'],
}

/** No cell of a grid shows more than a line. */
function clipped(text: string): string {
  return text.length > 160 ? `${text.slice(0, 160)}…` : text
}
