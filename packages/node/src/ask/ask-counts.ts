import type { Usage } from 'dunelight/host'
import type { FinishedRow } from '../replies/finished-row.js'
import { newCounts, type Counts } from '../runs/counts.js'
import type { Answered } from './question.js'

/** What a run that asks counts. */
export interface AskCounts extends Counts {
  /** Answers that needed a repair, and answers with unsupported claims. */
  repaired: number
  unsupported: number
  /** Answers of a mock model. */
  mock: number
  /** What screens found and let pass. */
  noted: number
  /** Records that wait for a person's choice. */
  waiting: number
  /** Questions that were put to the model, and such that were answered before. */
  requests: number
  cached: number
  /** Replies that were asked for again, since their output refused them. */
  corrections: number
  usage: { sent: number; received: number }
  /** The tokens of the questions as counted before, and as the model reported them; 0 if nothing was asked. */
  estimated: number
  usageOfEstimated: number
  /** How often each label was given, by column. */
  labels: Record<string, Record<string, number>>
}

export function newAskCounts(): AskCounts {
  return {
    ...newCounts(),
    repaired: 0,
    unsupported: 0,
    mock: 0,
    noted: 0,
    waiting: 0,
    requests: 0,
    cached: 0,
    corrections: 0,
    usage: { sent: 0, received: 0 },
    estimated: 0,
    usageOfEstimated: 0,
    labels: {},
  }
}

/** Counts what was asked for a record, whatever came of it. */
export function countQuestions(counts: AskCounts, { answers, notes }: Answered): void {
  for (const { answer, cached, estimate } of answers) {
    if (cached) {
      counts.cached++
      continue
    }
    counts.requests++
    countUsage(counts, answer.usage)
    if (!answer.usage || estimate === undefined) continue
    counts.estimated += estimate
    counts.usageOfEstimated += answer.usage.sent
  }
  counts.noted += notes.length
  counts.corrections += Math.max(0, answers.length - 1)
}

/** Counts an answer that could be read. */
export function countAnswered(
  counts: AskCounts,
  { answer, repairs, unsupported, isMock }: FinishedRow,
  labelColumns: readonly string[],
): void {
  if (isMock) counts.mock++
  if (repairs.length > 0) counts.repaired++
  if (unsupported.length > 0) counts.unsupported++
  for (const column of labelColumns) {
    const label = answer[column]
    if (typeof label !== 'string' && typeof label !== 'boolean') continue
    const of = (counts.labels[column] ??= {})
    of[String(label)] = (of[String(label)] ?? 0) + 1
  }
}

function countUsage(counts: AskCounts, usage: Usage | undefined): void {
  counts.usage.sent += usage?.sent ?? 0
  counts.usage.received += usage?.received ?? 0
}
