import { Button, Group, Menu, Select, Switch } from '@mantine/core'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react'
import type { Desk } from '../state/desk.js'
import { listedOf, type ReviewFilter } from '../state/runs.js'
import { bestOf, doubtsOf, type OpenRun, type ReviewedRecord } from '../state/runs-data.js'
import { Bars } from './bars.js'
import { ReviewDetail } from './review-detail.js'
import { reviewKey } from './review-keys.js'
import { shown } from './reading.js'
import { useDesk, useNumber } from './use-desk.js'
import './review.css'

const ROW_HEIGHT = 28
const FILTERS: readonly { readonly value: ReviewFilter; readonly label: string }[] = [
  { value: 'all', label: 'all records' },
  { value: 'open', label: 'waiting for review' },
  { value: 'doubts', label: 'with doubts' },
  { value: 'rejected', label: 'rejected' },
  { value: 'accepted', label: 'accepted' },
  { value: 'discarded', label: 'discarded' },
]
const MOST_LABELS = 12

/** A run as a table of its records and answers; the chosen record's answers beside it, to be decided on by keys alone. */
export function ReviewView({ desk, open }: { desk: Desk; open: OpenRun }) {
  const runs = useDesk(desk, (s) => s.runs)
  const { filter, label, record: chosen, doing } = runs
  const [keys, setKeys] = useState(true)
  const [editing, setEditing] = useState(false)
  const listed = useMemo(() => listedOf(runs), [runs.open, filter, label])
  const record = open.records.find((item) => item.record === chosen)
  useEffect(() => setEditing(false), [chosen])
  /** The letters mean something again once nothing is edited. */
  const edit = (on: boolean) => {
    setEditing(on)
    if (!on) document.querySelector<HTMLElement>('.review-list')?.focus()
  }
  const onKey = (event: KeyboardEvent) => {
    if (!keys && !event.key.startsWith('Arrow')) return
    reviewKey(event, desk, record, { step: (by) => desk.runs.step(by), edit: () => setEditing(true) })
  }
  return (
    <section className="review" aria-label="review">
      <ReviewTools desk={desk} open={open} keys={keys} onKeys={setKeys} />
      <div className="review-pair">
        <div className="review-side">
          <Summary open={open} />
          <Records desk={desk} open={open} listed={listed} chosen={chosen} onKey={onKey} />
        </div>
        <div className="review-detail" aria-live="polite">
          {doing !== undefined && <p className="quiet">{doing}</p>}
          {record ? (
            <ReviewDetail desk={desk} record={record} editing={editing} onEditing={edit} />
          ) : (
            <p className="empty">No record is listed. Choose another filter.</p>
          )}
        </div>
      </div>
    </section>
  )
}

interface ToolsProps {
  readonly desk: Desk
  readonly open: OpenRun
  readonly keys: boolean
  readonly onKeys: (on: boolean) => void
}

function ReviewTools({ desk, open, keys, onKeys }: ToolsProps) {
  const { filter, label } = useDesk(desk, (s) => s.runs)
  const sets = useDesk(desk, (s) => s.shown.library.artefacts.examples)
  const labels = useMemo(() => labelsOf(open), [open])
  return (
    <Group gap="xs" className="review-tools">
      <Button size="compact-xs" variant="default" onClick={() => desk.runs.close()}>
        ← Runs
      </Button>
      <strong>{open.run}</strong>
      {open.isMock && <span className="mock">mock</span>}
      <Select
        size="xs"
        w={160}
        aria-label="records by state"
        data={[...FILTERS]}
        value={filter}
        allowDeselect={false}
        onChange={(value) => value !== null && desk.runs.filter(value)}
      />
      {labels.length > 0 && (
        <Select
          size="xs"
          w={140}
          clearable
          aria-label="records by label"
          placeholder="any label"
          data={labels.map(([name]) => name)}
          value={label ?? null}
          onChange={(value) => desk.runs.filter(filter, value ?? undefined)}
        />
      )}
      <Button size="compact-xs" variant="default" onClick={() => void desk.runs.acceptSure()}>
        Accept all without doubts
      </Button>
      <span className="spring" />
      <Switch size="xs" label="letter keys" checked={keys} onChange={(event) => onKeys(event.currentTarget.checked)} />
      <Menu>
        <Menu.Target>
          <Button size="compact-xs" variant="default">
            Export …
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          {(['csv', 'xlsx', 'jsonl'] as const).map((as) => (
            <Menu.Item key={as} onClick={() => void desk.runs.export(as)}>
              {{ csv: 'CSV', xlsx: 'XLSX', jsonl: 'JSON Lines' }[as]}
            </Menu.Item>
          ))}
          {[...sets.keys()].map((set) => (
            <Menu.Item key={set} onClick={() => void desk.runs.addCases(set, false)}>
              Accepted answers → examples “{set}”
            </Menu.Item>
          ))}
        </Menu.Dropdown>
      </Menu>
    </Group>
  )
}

/** How far the review is, and how often each label was given. */
function Summary({ open }: { open: OpenRun }) {
  const number = useNumber()
  const { records } = open
  const labels = useMemo(() => labelsOf(open), [open])
  const count = (state: ReviewedRecord['state']) => records.filter((record) => record.state === state && bestOf(record)).length
  const rejected = records.filter((record) => !bestOf(record)).length
  return (
    <div className="review-summary">
      <p role="status">
        {number(count('accepted'))} accepted · {number(count('discarded'))} discarded · {number(count('open'))} waiting · {number(rejected)}{' '}
        rejected{open.cut ? ` · the first ${number(records.length)} are shown` : ''}
      </p>
      {labels.length > 0 && <Bars title="answers by label" bars={labels.map(([name, value]) => ({ name, value }))} />}
    </div>
  )
}

interface RecordsProps {
  readonly desk: Desk
  readonly open: OpenRun
  readonly listed: readonly ReviewedRecord[]
  readonly chosen: string | undefined
  readonly onKey: (event: KeyboardEvent) => void
}

function Records({ desk, open, listed, chosen, onKey }: RecordsProps) {
  const scroller = useRef<HTMLDivElement>(null)
  const asking = useDesk(desk, (s) => s.runs.asking)
  const place = listed.findIndex(({ record }) => record === chosen)
  const rows = useVirtualizer({
    count: listed.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 8,
  })
  useEffect(() => {
    if (place >= 0) rows.scrollToIndex(place, { align: 'auto' })
  }, [place, rows])
  useEffect(() => scroller.current?.focus(), [open.run])
  return (
    <div
      className="review-list"
      ref={scroller}
      role="listbox"
      tabIndex={0}
      aria-label="records of the run: J next, K before, A accept, R discard, G regenerate, E edit, 1 to 9 accept that answer"
      aria-activedescendant={place >= 0 ? `review-${place}` : undefined}
      onKeyDown={onKey}
    >
      <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
        {rows.getVirtualItems().map(({ index, start }) => {
          const record = listed[index]
          if (!record) return null
          return (
            <div
              key={record.record}
              id={`review-${index}`}
              role="option"
              aria-selected={index === place}
              className={index === place ? 'review-row chosen' : 'review-row'}
              style={{ transform: `translateY(${start}px)`, height: ROW_HEIGHT }}
              title={whyOf(record)}
              onClick={() => desk.runs.chooseRecord(record.record)}
            >
              <span className="review-state">{asking.has(record.record) ? '⟳ asking' : stateOf(record)}</span>
              <span className="review-id">{record.record}</span>
              <span className="review-answer">{answerOf(record, open.columns)}</span>
            </div>
          )
        })}
      </div>
    </div>
  )
}

function stateOf(record: ReviewedRecord): string {
  if (!bestOf(record)) return '✕ rejected'
  if (record.state === 'accepted') return '✓ accepted'
  if (record.state === 'discarded') return '– discarded'
  return doubtsOf(record).length > 0 ? '! doubts' : '· waiting'
}

function whyOf(record: ReviewedRecord): string {
  return doubtsOf(record).join('\n')
}

function answerOf(record: ReviewedRecord, columns: readonly string[]): string {
  const best = bestOf(record)
  if (!best) return record.problems[0]?.message ?? 'no answer'
  const answer = best.answer ?? {}
  return (columns.length > 0 ? columns : Object.keys(answer))
    .flatMap((column) => (answer[column] === undefined || answer[column] === null ? [] : [shown(answer[column]).replace(/\s+/g, ' ')]))
    .join(' · ')
}

/** How often each label was given, in all columns that have labels. */
function labelsOf({ records, labelled }: OpenRun): readonly (readonly [string, number])[] {
  const counts = new Map<string, number>()
  for (const record of records) {
    for (const column of labelled) {
      const value = bestOf(record)?.answer?.[column]
      if (typeof value === 'string') counts.set(value, (counts.get(value) ?? 0) + 1)
    }
  }
  return [...counts].sort((a, b) => b[1] - a[1]).slice(0, MOST_LABELS)
}
