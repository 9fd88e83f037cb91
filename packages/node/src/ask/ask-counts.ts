import type { Usage } from 'dunelight/host'
import type { FinishedRow } from '../replies/finished-row.js'
import { newCounts, type Counts } from '../runs/counts.js'
import type { Answered } from './question.js'

/** What a run that asks counts. */
export interface AskCounts extends Counts {
  /** Answers that could be read only by a repair, and such that hold what no input says. */
  repaired: number
  doubtful: number
  /** Answers of a stand-in. */
  madeUp: number
  /** What screens found and let pass. */
  noted: number
  /** Questions that were put to the model, and such that were answered before. */
  asks: number
  kept: number
  /** Replies that were asked for again, since their output refused them. */
  corrected: number
  usage: { asked: number; answered: number }
  /** The tokens of the questions as they were counted before, and what the model says of the same ones; 0 if nothing asked for them. */
  estimated: number
  usedOfEstimated: number
  /** How often each label was given, by column. */
  labels: Record<string, Record<string, number>>
}

export function newAskCounts(): AskCounts {
  return {
    ...newCounts(),
    repaired: 0,
    doubtful: 0,
    madeUp: 0,
    noted: 0,
    asks: 0,
    kept: 0,
    corrected: 0,
    usage: { asked: 0, answered: 0 },
    estimated: 0,
    usedOfEstimated: 0,
    labels: {},
  }
}

/** Counts what was asked for a record, whatever came of it. */
export function countQuestions(counts: AskCounts, { given, notes }: Answered): void {
  for (const { answer, kept, estimate } of given) {
    if (kept) {
      counts.kept++
      continue
    }
    counts.asks++
    countUsage(counts, answer.usage)
    if (!answer.usage || estimate === undefined) continue
    counts.estimated += estimate
    counts.usedOfEstimated += answer.usage.asked
  }
  counts.noted += notes.length
  counts.corrected += Math.max(0, given.length - 1)
}

/** Counts an answer that could be read. */
export function countAnswered(counts: AskCounts, { answer, repaired, doubts, madeUp }: FinishedRow, labelColumns: readonly string[]): void {
  if (madeUp) counts.madeUp++
  if (repaired.length > 0) counts.repaired++
  if (doubts.length > 0) counts.doubtful++
  for (const column of labelColumns) {
    const label = answer[column]
    if (typeof label !== 'string' && typeof label !== 'boolean') continue
    const of = (counts.labels[column] ??= {})
    of[String(label)] = (of[String(label)] ?? 0) + 1
  }
}

function countUsage(counts: AskCounts, usage: Usage | undefined): void {
  counts.usage.asked += usage?.asked ?? 0
  counts.usage.answered += usage?.answered ?? 0
}
