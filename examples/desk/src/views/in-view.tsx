import { Fragment, useEffect, useState } from 'react'
import type { Desk } from '../state/desk.js'
import { editedFiles } from '../state/page-state.js'
import { useDesk, useNumber } from './use-desk.js'

/** Milliseconds without scrolling until the rows in view are rendered. */
const QUIET = 80
/** Failing rows in view that are named; the others are counted. */
const MOST_NAMED = 4

/** The effect of the edits on the records in view, now, and on the whole table as far as it has been rendered. */
export function InView({ desk, rows }: { desk: Desk; rows: readonly number[] }) {
  const number = useNumber()
  const { table } = useDesk(desk, (s) => s.table)
  const { pass } = useDesk(desk, (s) => s.pass)
  const isEdited = useDesk(desk, (s) => editedFiles(s.library).length > 0)
  const subject = useDesk(desk, (s) => s.shown.subject)
  const [now, setNow] = useState<readonly { readonly at: number; readonly fits: boolean; readonly changed: boolean }[]>([])
  const wanted = rows.join()
  // Once nothing has moved for a moment: while the grid is scrolled its rows have all of the time.
  useEffect(() => {
    const timer = setTimeout(
      () => setNow((wanted === '' ? [] : wanted.split(',')).map((at) => ({ at: Number(at), ...desk.selection.stateNow(Number(at)) }))),
      QUIET,
    )
    return () => clearTimeout(timer)
  }, [desk, subject, wanted])
  if (!table) return null
  const changed = now.filter((item) => item.changed).length
  const failing = now.filter((item) => !item.fits)
  return (
    <div className="in-view" role="status" aria-label="effect of the edits">
      {isEdited ? (
        <>
          <b>In view:</b> {number(changed)} of {number(now.length)} changed, {number(failing.length)} fail
          {failing.slice(0, MOST_NAMED).map(({ at: position }, i) => (
            <Fragment key={position}>
              {i === 0 ? ': ' : ', '}
              <button type="button" className="to-row" onClick={() => desk.selection.chooseRow(position)}>
                row {number(position + 1)}
              </button>
            </Fragment>
          ))}
          {failing.length > MOST_NAMED ? ' …' : '.'}{' '}
        </>
      ) : null}
      {pass && (
        <>
          <b>Table:</b> {number(pass.counts.fits)} valid, {number(pass.counts.rejected)} rejected
          {pass.counts.out > 0 ? `, ${number(pass.counts.out)} left out` : ''}
          {isEdited ? `, ${number(pass.counts.changed)} changed` : ''}
          {pass.done ? '' : ' …'}
        </>
      )}
    </div>
  )
}
