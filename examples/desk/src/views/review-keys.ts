import type { KeyboardEvent } from 'react'
import type { Desk } from '../state/desk.js'
import { bestOf, type ReviewedRecord } from '../state/runs-data.js'

/** What keys do beside deciding. */
interface ReviewMoves {
  readonly step: (by: number) => void
  readonly edit: () => void
}

/** Decides on a record, or on a part of one, by a key: A, R, G, E, 1 to 9; J, K and the arrows go on in the list. */
export function reviewKey(event: KeyboardEvent, desk: Desk, record: ReviewedRecord | undefined, { step, edit }: ReviewMoves): void {
  if (!record || event.ctrlKey || event.metaKey || event.altKey) return
  const { candidates } = record
  const records = [record.record]
  const key = event.key.startsWith('Arrow') ? event.key : event.key.toLowerCase()
  const number = /^[1-9]$/.test(key) ? Number(key) : undefined
  if (number !== undefined && candidates.some((candidate) => candidate.number === number))
    void desk.runs.decide({ does: 'accept', records, answer: number })
  else if (key === 'j' || key === 'ArrowDown') step(1)
  else if (key === 'k' || key === 'ArrowUp') step(-1)
  else if (key === 'a') void accept(desk, record, step)
  else if (key === 'r') void desk.runs.decide({ does: 'discard', records }).then(() => step(1))
  else if (key === 'g') void desk.runs.decide({ does: 'regenerate', records })
  else if (key === 'e') edit()
  else return
  event.preventDefault()
}

/** Accepts the answer that counts, and goes on. */
async function accept(desk: Desk, record: ReviewedRecord, step: (by: number) => void): Promise<void> {
  const best = bestOf(record)
  if (!best) return
  await desk.runs.decide({ does: 'accept', records: [record.record], answer: best.number })
  step(1)
}
