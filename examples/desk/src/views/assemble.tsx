import { Button, Group, Menu } from '@mantine/core'
import { useEffect, useMemo, useState } from 'react'
import type { Desk } from '../state/desk.js'
import { isToChoose } from '../state/runs.js'
import { bestOf, doubtsOf, type AssembledRecord, type DocumentSpan, type OpenRun, type ReviewedRecord } from '../state/runs-data.js'
import { ReviewDetail } from './review-detail.js'
import { reviewKey } from './review-keys.js'
import { useDesk } from './use-desk.js'
import './review.css'
import './assemble.css'

interface ViewProps {
  readonly desk: Desk
  readonly open: OpenRun
}

/** A run of an assembly: its records and their parts, the answers to the chosen part, and the document that they make. */
export function AssembleView({ desk, open }: ViewProps) {
  const { assembled, record: chosen, doing } = useDesk(desk, (s) => s.runs)
  const [editing, setEditing] = useState(false)
  useEffect(() => setEditing(false), [chosen])
  const part = assembled?.parts.find(({ record }) => record === chosen)
  return (
    <section className="review" aria-label="assemble">
      <AssembleTools desk={desk} open={open} assembled={assembled} />
      <div className="assemble">
        <Parts desk={desk} open={open} assembled={assembled} onEdit={() => setEditing(true)} />
        <div className="review-detail" aria-live="polite">
          {doing !== undefined && <p className="quiet">{doing}</p>}
          {part ? (
            <ReviewDetail key={part.record} desk={desk} record={part} editing={editing} onEditing={setEditing} />
          ) : (
            <p className="empty">No part is chosen.</p>
          )}
        </div>
        <LiveDocument desk={desk} assembled={assembled} />
      </div>
    </section>
  )
}

interface ToolsProps extends ViewProps {
  readonly assembled: AssembledRecord | undefined
}

function AssembleTools({ desk, open, assembled }: ToolsProps) {
  const waiting = open.records.filter(isToChoose).length
  const isOutOfDate = (assembled?.outOfDate.length ?? 0) > 0
  return (
    <Group gap="xs" className="review-tools">
      <Button size="compact-xs" variant="default" onClick={() => desk.runs.close()}>
        ← Runs
      </Button>
      <strong>{open.run}</strong>
      {open.isMock && <span className="mock">mock</span>}
      <span role="status" className="quiet">
        {waiting > 0 ? `${waiting} ${waiting === 1 ? 'part waits' : 'parts wait'} for a choice` : 'every choice is made'}
      </span>
      {open.state !== 'done' && (
        <Button size="compact-xs" onClick={() => void desk.runs.resume(open.run)}>
          Ask for what follows
        </Button>
      )}
      <span className="spring" />
      <Menu>
        <Menu.Target>
          <Button size="compact-xs" variant="default" disabled={!assembled?.document}>
            Export …
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          {(['docx', 'html', 'md'] as const).map((as) => (
            <Menu.Item key={as} onClick={() => void desk.runs.exportDocument(as, isOutOfDate)}>
              {{ docx: 'Word document', html: 'Web page', md: 'Markdown' }[as]}
              {isOutOfDate && ', although parts are out of date'}
            </Menu.Item>
          ))}
        </Menu.Dropdown>
      </Menu>
    </Group>
  )
}

/** The records of the run, and below the chosen one its parts. */
function Parts({ desk, open, assembled, onEdit }: ToolsProps & { readonly onEdit: () => void }) {
  const { record: chosen, asking } = useDesk(desk, (s) => s.runs)
  const records = useMemo(() => [...new Set(open.records.map(({ part, record }) => part?.record ?? record))], [open.records])
  const parts = assembled?.parts ?? []
  const place = parts.findIndex(({ record }) => record === chosen)
  const step = (by: number) => {
    const next = parts[Math.max(0, Math.min(parts.length - 1, place + by))]
    if (next) desk.runs.chooseRecord(next.record)
  }
  return (
    <div className="assemble-parts">
      <label className="assemble-record">
        record
        <select value={assembled?.record ?? ''} onChange={(event) => void desk.runs.assemble(event.currentTarget.value)}>
          {records.map((record) => (
            <option key={record} value={record}>
              {record}
              {open.records.some((item) => item.part?.record === record && isToChoose(item)) ? ' · to choose' : ''}
            </option>
          ))}
        </select>
      </label>
      <div
        className="part-list"
        role="listbox"
        tabIndex={0}
        aria-label="parts of the record: J next, K before, A accept, R discard, G regenerate, E edit, 1 to 9 accept that answer"
        aria-activedescendant={place >= 0 ? `part-${place}` : undefined}
        onKeyDown={(event) => reviewKey(event, desk, parts[place], { step, edit: onEdit })}
      >
        {parts.map((part, i) => (
          <div
            key={part.record}
            id={`part-${i}`}
            role="option"
            aria-selected={i === place}
            className={i === place ? 'part-row chosen' : 'part-row'}
            title={doubtsOf(part).join('\n')}
            onClick={() => desk.runs.chooseRecord(part.record)}
          >
            <span className="part-name">{part.part?.key ?? part.record}</span>
            <span className={part.isOutOfDate ? 'part-state bad' : 'part-state'}>
              {asking.has(part.record) ? '⟳ asking' : stateOf(part)}
            </span>
          </div>
        ))}
      </div>
    </div>
  )
}

function stateOf(part: ReviewedRecord): string {
  if (part.isOutOfDate) return '! out of date'
  if (part.state === 'accepted') return '✓ accepted'
  if (part.state === 'discarded') return '– discarded'
  if (!bestOf(part)) return '✕ no answer'
  if (isToChoose(part)) return '? choose'
  return doubtsOf(part).length > 0 ? '! doubts' : `· answer ${part.taken ?? 1}`
}

/** The document as it would be exported, each span marked by what wrote it. An answer leads to its part. */
function LiveDocument({ desk, assembled }: { readonly desk: Desk; readonly assembled: AssembledRecord | undefined }) {
  const parts = assembled?.parts ?? []
  return (
    <article className="live-document" aria-label="document" tabIndex={0}>
      <p className="document-legend">
        <span className="span-fixed">the assembly’s text</span> <span className="span-value">a value</span>{' '}
        <span className="span-answer">an answer</span>
      </p>
      {assembled?.document ? (
        <div className="document-text">
          {assembled.document.map((span, i) => (
            <Span key={i} span={span} onChoose={chooserFor(desk, span, parts)} />
          ))}
        </div>
      ) : (
        <p className="empty">
          {assembled
            ? 'The document is not finished: choose the answers that are marked with “?”, then ask for what follows.'
            : 'No record is chosen.'}
        </p>
      )}
    </article>
  )
}

function Span({ span, onChoose }: { readonly span: DocumentSpan; readonly onChoose: (() => void) | undefined }) {
  const title = span.path === undefined ? 'the assembly’s text' : `${span.kind === 'answer' ? 'the answer' : 'the value'} ${span.path}`
  if (!onChoose)
    return (
      <span className={`span-${span.kind}`} title={title}>
        {span.text}
      </span>
    )
  return (
    <span
      role="button"
      tabIndex={0}
      className="span-answer"
      title={title}
      onClick={onChoose}
      onKeyDown={(event) => event.key === 'Enter' && onChoose()}
    >
      {span.text}
    </span>
  )
}

/** Leads from an answer in the document to its part: `condition.2.answer` comes of `condition.2`. */
function chooserFor(desk: Desk, { kind, path }: DocumentSpan, parts: readonly ReviewedRecord[]): (() => void) | undefined {
  if (kind !== 'answer' || path === undefined) return undefined
  const part = parts.find(({ part: own }) => own && (path === own.key || path.startsWith(`${own.key}.`)))
  return part && (() => desk.runs.chooseRecord(part.record))
}
