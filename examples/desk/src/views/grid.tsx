import { Button, CloseButton, FileButton, TextInput } from '@mantine/core'
import { useVirtualizer } from '@tanstack/react-virtual'
import { memo, useEffect, useMemo, useRef, useState, type DragEvent, type KeyboardEvent } from 'react'
import { defined } from 'dunelight/host'
import type { Desk } from '../state/desk.js'
import { ROW } from '../model/pass.js'
import { NO_WISHES, orderOf, type GridWishes, type StateFilter } from './grid-order.js'
import { Chooser } from './chooser.js'
import { NO_PROBLEMS, Row } from './grid-row.js'
import { InView } from './in-view.js'
import { ProblemList } from './problem-list.js'
import { useDesk, useNumber } from './use-desk.js'
import './grid.css'

const ROW_HEIGHT = 26
const PAGE = 20
const STATES: readonly { readonly value: StateFilter; readonly label: string }[] = [
  { value: 'all', label: 'all rows' },
  { value: 'fits', label: 'valid' },
  { value: 'rejected', label: 'rejected' },
  { value: 'changed', label: 'changed' },
  { value: 'out', label: 'left out' },
]

/** The table: every row with its state. Choosing one shows its sheet. */
export function Grid({ desk }: { desk: Desk }) {
  const { table } = useDesk(desk, (s) => s.table)
  const { pass, rendered } = useDesk(desk, (s) => s.pass)
  const row = useDesk(desk, (s) => s.selection.row)
  const subject = useDesk(desk, (s) => s.shown.subject)
  const tables = useDesk(desk, (s) => s.library.data.data)
  const number = useNumber()
  const [wishes, setWishes] = useState<GridWishes>(NO_WISHES)
  const [over, setOver] = useState(false)
  const scroller = useRef<HTMLDivElement>(null)
  /** Whether the focus goes along with the choice: it does for keys, while the mouse and commands move no focus. */
  const follow = useRef(false)
  // The order follows the worker only where it depends on it: sorting a large table again at every part of it would be felt.
  const filtered = wishes.state === 'all' ? undefined : pass
  const order = useMemo(() => (table ? orderOf(table, filtered, wishes) : EMPTY), [table, wishes, filtered, filtered && rendered])
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
    if (next !== undefined) desk.selection.chooseRow(next)
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
        if (file) void desk.table.drop(file)
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
          {pass && !pass.done && table ? ` · rendered ${number(rendered)}` : ''}
        </span>
        {(wishes.sort ?? (wishes.filters.size > 0 || undefined)) !== undefined && (
          <CloseButton
            size="xs"
            aria-label="show all rows in the table’s order"
            onClick={() => setWishes({ ...NO_WISHES, state: wishes.state })}
          />
        )}
        <FileButton onChange={(file) => file && void desk.table.drop(file)} accept=".csv,.tsv,.txt,.jsonl,.json,.yaml">
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
                desk={desk}
                cells={defined(table.rows[defined(order[index])])}
                headings={table.headings}
                row={defined(order[index])}
                index={index}
                top={start}
                chosen={order[index] === row}
                focusable={place < 0 ? index === 0 : index === place}
                follow={follow}
                state={pass?.states[defined(order[index])] ?? ROW.unknown}
                changed={pass?.changed[defined(order[index])] === 1}
                tokens={pass?.tokens[defined(order[index])] ?? 0}
                problems={
                  pass?.states[defined(order[index])] === ROW.rejected
                    ? (subject?.record(defined(order[index]))?.problems ?? NO_PROBLEMS)
                    : NO_PROBLEMS
                }
              />
            ))}
          </div>
          {order.length === 0 && <p className="empty">{table.rows.length === 0 ? 'This table has no rows.' : 'No matching rows.'}</p>}
        </div>
      )}
      {!table && (
        <p className="empty">
          {tables.length === 0
            ? 'The library’s folder “data” has no table.'
            : 'No table of this library fits this prompt. Choose one above, or fill in the form.'}{' '}
          Drop one here: .csv, .tsv, .jsonl, .json or .yaml.
        </p>
      )}
      <InView desk={desk} rows={inView.map(({ index }) => defined(order[index]))} />
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

/** A column's name, by which it is sorted, and the filter of its cells. */
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
        aria-label={`filter ${heading}`}
        placeholder="filter"
        value={filters.get(column) ?? ''}
        onChange={(event) => onWish({ ...wishes, filters: new Map(filters).set(column, event.currentTarget.value) })}
      />
    </span>
  )
})
