import { Button, CloseButton, FileButton, TextInput } from '@mantine/core'
import { useVirtualizer } from '@tanstack/react-virtual'
import { Fragment, memo, useEffect, useMemo, useRef, useState, type DragEvent, type KeyboardEvent } from 'react'
import type { Problem } from 'dunelight'
import { cellText } from 'dunelight/parts'
import { defined } from 'dunelight/host'
import type { Bench } from '../bench/bench.js'
import { ROW } from '../bench/pass.js'
import { NO_WISHES, orderOf, type GridWishes, type StateFilter } from './grid-order.js'
import { Chooser } from './chooser.js'
import { ProblemList } from './problem-list.js'
import { useBench, useNumber } from './use-bench.js'

const ROW_HEIGHT = 26
const PAGE = 20
/** Milliseconds that nothing has to move for until what is in view is looked at. */
const QUIET = 80
/** Rows in view that fail are named, as far as anybody reads on. */
const MOST_NAMED = 4
const STATES: readonly { readonly value: StateFilter; readonly label: string }[] = [
  { value: 'all', label: 'all rows' },
  { value: 'fits', label: 'that fit' },
  { value: 'aside', label: 'set aside' },
  { value: 'changed', label: 'changed' },
  { value: 'out', label: 'left out' },
]

/** The table: every row with what becomes of it. Choosing one shows its sheet. */
export function Grid({ bench }: { bench: Bench }) {
  const { table, pass, row } = useBench(bench)
  const number = useNumber()
  const [wishes, setWishes] = useState<GridWishes>(NO_WISHES)
  const [over, setOver] = useState(false)
  const scroller = useRef<HTMLDivElement>(null)
  /** Whether the focus goes along with the choice: it does for keys, while the mouse and commands move no focus. */
  const follow = useRef(false)
  // The order follows the worker only where it depends on it: sorting a large table again at every part of it would be felt.
  const found = wishes.state === 'all' ? undefined : pass
  const order = useMemo(() => (table ? orderOf(table, found, wishes) : EMPTY), [table, wishes, found, found?.looked])
  const place = useMemo(() => order.indexOf(row), [order, row])
  const rows = useVirtualizer({
    count: order.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 8,
  })
  useEffect(() => setWishes(NO_WISHES), [table])
  useEffect(() => {
    if (place >= 0) rows.scrollToIndex(place, { align: 'auto' })
  }, [place, rows])

  const go = (to: number) => {
    const next = order[Math.max(0, Math.min(order.length - 1, to))]
    if (next !== undefined) bench.chooseRow(next)
  }
  const key = (event: KeyboardEvent) => {
    const steps: Record<string, number> = { ArrowDown: 1, ArrowUp: -1, PageDown: PAGE, PageUp: -PAGE, Home: -Infinity, End: Infinity }
    const step = steps[event.key]
    if (step === undefined || (event.target as HTMLElement).tagName === 'INPUT') return
    event.preventDefault()
    follow.current = true
    go(step === -Infinity ? 0 : step === Infinity ? order.length - 1 : Math.max(0, place) + step)
  }
  const drag = (event: DragEvent, on: boolean) => {
    event.preventDefault()
    setOver(on)
  }
  const shown = rows.getVirtualItems()
  const inView = shown.filter(
    ({ start, end }) =>
      end > (scroller.current?.scrollTop ?? 0) && start < (scroller.current?.scrollTop ?? 0) + (scroller.current?.clientHeight ?? 800) - 60,
  )
  return (
    <section
      className={over ? 'grid dropping' : 'grid'}
      aria-label="records"
      onDragOver={(event) => drag(event, true)}
      onDragLeave={(event) => drag(event, false)}
      onDrop={(event) => {
        drag(event, false)
        const [file] = event.dataTransfer.files
        if (file) void bench.drop(file)
      }}
    >
      <div className="grid-tools">
        <Chooser
          label="rows by state"
          width={120}
          data={STATES}
          value={wishes.state}
          onChoose={(state) => setWishes((before) => ({ ...before, state: state as StateFilter }))}
        />
        <span className="grid-count">
          {table ? `${number(order.length)} of ${number(table.rows.length)}${table.cut ? ' and more' : ''}` : 'no table'}
          {pass && !pass.done && table ? ` · looked at ${number(pass.looked)}` : ''}
        </span>
        {(wishes.sort ?? (wishes.filters.size > 0 || undefined)) !== undefined && (
          <CloseButton
            size="xs"
            aria-label="show all rows in the table’s order"
            onClick={() => setWishes({ ...NO_WISHES, state: wishes.state })}
          />
        )}
        <FileButton onChange={(file) => file && void bench.drop(file)} accept=".csv,.tsv,.txt,.jsonl,.json,.yaml">
          {(props) => (
            <Button {...props} size="compact-xs" variant="default" ml="auto">
              Open a table …
            </Button>
          )}
        </FileButton>
      </div>
      {table && table.problems.length > 0 && <ProblemList problems={table.problems} />}
      {table && (
        <div
          className="grid-scroll"
          ref={scroller}
          role="grid"
          aria-label={table.name}
          aria-rowcount={order.length + 1}
          aria-colcount={table.headings.length + 2}
          onKeyDown={key}
        >
          <div className="grid-head" role="row" aria-rowindex={1}>
            <span className="cell state" role="columnheader">
              <span className="quiet">state</span>
            </span>
            <span className="cell number" role="columnheader">
              row
            </span>
            {table.headings.map((heading, column) => (
              <Heading key={column} heading={heading} column={column} wishes={wishes} onWish={setWishes} />
            ))}
          </div>
          <div style={{ height: rows.getTotalSize(), position: 'relative' }} role="rowgroup">
            {shown.map(({ index, start }) => (
              <Row
                key={order[index]}
                bench={bench}
                cells={defined(table.rows[defined(order[index])])}
                headings={table.headings}
                at={defined(order[index])}
                index={index}
                top={start}
                chosen={order[index] === row}
                focusable={place < 0 ? index === 0 : index === place}
                follow={follow}
                state={pass?.states[defined(order[index])] ?? ROW.unknown}
                changed={pass?.changed[defined(order[index])] === 1}
                tokens={pass?.tokens[defined(order[index])] ?? 0}
                problems={
                  pass?.states[defined(order[index])] === ROW.aside
                    ? (bench.current?.record(defined(order[index]))?.problems ?? NO_PROBLEMS)
                    : NO_PROBLEMS
                }
              />
            ))}
          </div>
          {order.length === 0 && <p className="empty">{table.rows.length === 0 ? 'This table has no rows.' : 'No row is like that.'}</p>}
        </div>
      )}
      {!table && (
        <p className="empty">
          {bench.data.data.length === 0
            ? 'There is no table in this library’s folder “data”.'
            : 'No table of this library fits this prompt: choose one above, or write values by hand.'}{' '}
          Drop one here: .csv, .tsv, .jsonl, .json or .yaml.
        </p>
      )}
      <InView bench={bench} rows={inView.map(({ index }) => defined(order[index]))} />
    </section>
  )
}

const EMPTY = new Uint32Array(0)

interface HeadingProps {
  readonly heading: string
  readonly column: number
  readonly wishes: GridWishes
  readonly onWish: (next: GridWishes) => void
}

/** A column's name, by which it is sorted, and what its cells have to hold. */
const Heading = memo(function Heading({ heading, column, wishes, onWish }: HeadingProps) {
  const { sort, filters } = wishes
  const own = sort?.column === column ? sort : undefined
  return (
    <span className="cell" role="columnheader" aria-sort={own ? (own.down ? 'descending' : 'ascending') : 'none'}>
      <button
        type="button"
        className="sort"
        onClick={() => onWish({ ...wishes, sort: own?.down ? undefined : { column, down: own !== undefined } })}
      >
        {heading}
        <span aria-hidden="true">{own ? (own.down ? ' ▾' : ' ▴') : ''}</span>
      </button>
      <TextInput
        size="xs"
        classNames={{ input: 'filter' }}
        aria-label={`${heading} holds`}
        placeholder="holds"
        value={filters.get(column) ?? ''}
        onChange={(event) => onWish({ ...wishes, filters: new Map(filters).set(column, event.currentTarget.value) })}
      />
    </span>
  )
})

interface RowProps {
  readonly bench: Bench
  readonly cells: readonly unknown[]
  readonly headings: readonly string[]
  readonly at: number
  readonly index: number
  readonly top: number
  readonly chosen: boolean
  readonly focusable: boolean
  readonly follow: { current: boolean }
  readonly state: number
  readonly changed: boolean
  readonly tokens: number
  /** Why it is set aside. */
  readonly problems: readonly Problem[]
}

/** Drawn again only where something of it is another: a grid is scrolled a few rows at a time. */
const Row = memo(function Row(props: RowProps) {
  const { bench, cells, headings, at, index, top, chosen, focusable, follow, state, changed, tokens, problems } = props
  const self = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (!chosen || !follow.current) return
    self.current?.focus({ preventScroll: true })
    follow.current = false
  }, [chosen, follow])
  const unfit = new Set(problems.flatMap((p) => ('column' in p.data ? [p.data.column] : [])))
  const why = problems.map((p) => p.message).join('; ')
  const [sign, words] = defined(SIGNS[state])
  return (
    <div
      ref={self}
      className={`grid-row${chosen ? ' chosen' : ''}${state === ROW.out ? ' left-out' : ''}`}
      role="row"
      aria-rowindex={index + 2}
      aria-selected={chosen}
      tabIndex={focusable ? 0 : -1}
      style={{ transform: `translateY(${top}px)` }}
      onClick={() => bench.chooseRow(at)}
      title={why || undefined}
    >
      <span
        className={`cell state state-${state}`}
        role="gridcell"
        aria-label={`${words}${changed ? ', changed' : ''}${why === '' ? '' : `: ${why}`}`}
      >
        {sign}
        {changed && <span className="changed">≠</span>}
        {tokens > 0 && <span className="tokens">{tokens}</span>}
      </span>
      <span className="cell number" role="gridcell">
        {at + 1}
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

const NO_PROBLEMS: readonly Problem[] = []

/** States are told by their signs, not by colour alone. */
const SIGNS: Readonly<Record<number, readonly [string, string]>> = {
  [ROW.unknown]: ['', 'not looked at yet'],
  [ROW.fits]: ['✓', 'fits'],
  [ROW.aside]: ['✕', 'set aside'],
  [ROW.out]: ['–', 'left out'],
}

/** No cell of a grid shows more than a line. */
function clipped(text: string): string {
  return text.length > 160 ? `${text.slice(0, 160)}…` : text
}

/** What the edits do to the records in view, now, and to the whole table as far as it has been looked at. */
function InView({ bench, rows }: { bench: Bench; rows: readonly number[] }) {
  const number = useNumber()
  const { pass, edited, table } = bench
  const [now, setNow] = useState<readonly { readonly at: number; readonly fits: boolean; readonly changed: boolean }[]>([])
  const wanted = rows.join()
  // Once nothing has moved for a moment: while the grid is scrolled its rows have all of the time.
  useEffect(() => {
    const timer = setTimeout(
      () => setNow((wanted === '' ? [] : wanted.split(',')).map((at) => ({ at: Number(at), ...bench.stateNow(Number(at)) }))),
      QUIET,
    )
    return () => clearTimeout(timer)
  }, [bench, bench.files, bench.library, wanted])
  if (!table) return null
  const changed = now.filter((one) => one.changed).length
  const failing = now.filter((one) => !one.fits)
  return (
    <div className="in-view" role="status" aria-label="what the edits change">
      {edited.length > 0 ? (
        <>
          <b>In view:</b> {number(changed)} of {number(now.length)} changed, {number(failing.length)} fail
          {failing.slice(0, MOST_NAMED).map(({ at }, i) => (
            <Fragment key={at}>
              {i === 0 ? ': ' : ', '}
              <button type="button" className="to-row" onClick={() => bench.chooseRow(at)}>
                row {number(at + 1)}
              </button>
            </Fragment>
          ))}
          {failing.length > MOST_NAMED ? ' …' : '.'}{' '}
        </>
      ) : null}
      {pass && (
        <>
          <b>Table:</b> {number(pass.counts.fits)} fit, {number(pass.counts.aside)} set aside
          {pass.counts.out > 0 ? `, ${number(pass.counts.out)} left out` : ''}
          {edited.length > 0 ? `, ${number(pass.counts.changed)} changed` : ''}
          {pass.done ? '' : ' …'}
        </>
      )}
    </div>
  )
}
