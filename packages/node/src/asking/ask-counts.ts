import type { Usage } from 'dunelight'
import type { ReasonCount } from '../batches/tally.js'

/** What a run that asks has counted: plain data. */
export interface AskCounts {
  answered: number
  /** Answers that could be read only by a repair, and such that hold what no input says. */
  repaired: number
  doubtful: number
  /** Answers of a stand-in. */
  madeUp: number
  /** What screens found and let pass. */
  noted: number
  aside: number
  /** Questions that were put to the model, and such that were answered before. */
  asks: number
  kept: number
  /** Replies that were asked for again, since their output refused them. */
  corrected: number
  usage: { asked: number; answered: number }
  /** The tokens of the questions as they were counted before, and what the model says of the same ones; 0 where nobody asked for that. */
  estimated: number
  usedOfEstimated: number
  reasons: ReasonCount[]
  /** How often each label was given, by column. */
  labels: Record<string, Record<string, number>>
}

export function newAskCounts(): AskCounts {
  return {
    answered: 0,
    repaired: 0,
    doubtful: 0,
    madeUp: 0,
    noted: 0,
    aside: 0,
    asks: 0,
    kept: 0,
    corrected: 0,
    usage: { asked: 0, answered: 0 },
    estimated: 0,
    usedOfEstimated: 0,
    reasons: [],
    labels: {},
  }
}

export function countUsage(counts: AskCounts, usage: Usage | undefined): void {
  counts.usage.asked += usage?.asked ?? 0
  counts.usage.answered += usage?.answered ?? 0
}

export function countLabels(counts: AskCounts, answer: Readonly<Record<string, unknown>>, columns: readonly string[]): void {
  for (const column of columns) {
    const label = answer[column]
    if (typeof label !== 'string' && typeof label !== 'boolean') continue
    const of = (counts.labels[column] ??= {})
    of[String(label)] = (of[String(label)] ?? 0) + 1
  }
}
