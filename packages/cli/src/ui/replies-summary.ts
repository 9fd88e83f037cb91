import type { Problem } from 'dunelight'
import { type AnswerColumn } from 'dunelight/parts'
import { foldHeading, defined, alikePairs } from 'dunelight/host'
import type { AnsweredRecord } from '@dunelight/node'
import { plural, type Colors } from './context.js'

/** Replies of fewer words than this are alike by nature. */
const LEAST_WORDS = 8
/** Replies that are compared with each other; equal ones are found among all. */
const MOST_COMPARED = 2000

/** What a file of replies came to. */
export interface Summary {
  readonly records: number
  readonly valid: number
  readonly repaired: number
  readonly refused: number
  readonly reasons: Readonly<Record<string, number>>
  readonly repairs: Readonly<Record<string, number>>
  readonly labels: Readonly<Record<string, Readonly<Record<string, number>>>>
  readonly unsupportedRecords: number
  readonly unsupported: number
  readonly equal: readonly (readonly string[])[]
  readonly nearlyEqual: readonly (readonly [string, string])[]
}

/** Counts replies, record after record. */
export class RepliesSummary {
  private records = 0
  private valid = 0
  private repaired = 0
  private readonly reasons = new Map<string, number>()
  private readonly repairs = new Map<string, number>()
  private readonly labels = new Map<string, Map<string, number>>()
  private unsupportedRecords = 0
  private unsupported = 0
  private readonly same = new Map<string, string[]>()
  private readonly texts: { readonly id: string; readonly text: string }[] = []

  constructor(private readonly columns: readonly AnswerColumn[]) {
    for (const { name, labels } of columns) if (labels) this.labels.set(name, new Map(labels.map((label) => [label, 0])))
  }

  add({ id, text, reply, problems }: AnsweredRecord, answer: Readonly<Record<string, unknown>> | undefined): void {
    this.records++
    if (text !== undefined && text.split(/\s+/).length >= LEAST_WORDS) this.remember(id, text)
    if (!answer) {
      for (const reason of new Set(problems.map(reasonOf))) count(this.reasons, reason)
      return
    }
    this.valid++
    const repairs = new Set(reply?.repairs.map((p) => (p.code === 'reply-repaired' ? p.data.repair : p.code)))
    if (repairs.size > 0) this.repaired++
    for (const repair of repairs) count(this.repairs, repair)
    if (reply && reply.unsupported.length > 0) {
      this.unsupportedRecords++
      this.unsupported += reply.unsupported.length
    }
    for (const [name, counts] of this.labels) {
      const label = answer[name]
      if (typeof label === 'string' || typeof label === 'boolean') count(counts, String(label))
    }
  }

  private remember(id: string, text: string): void {
    const key = foldHeading(text)
    const same = this.same.get(key)
    if (same) same.push(id)
    else {
      this.same.set(key, [id])
      if (this.texts.length < MOST_COMPARED) this.texts.push({ id, text })
    }
  }

  get summary(): Summary {
    const asRecord = (counts: ReadonlyMap<string, number>) => Object.fromEntries([...counts].sort((a, b) => b[1] - a[1]))
    return {
      records: this.records,
      valid: this.valid - this.repaired,
      repaired: this.repaired,
      refused: this.records - this.valid,
      reasons: asRecord(this.reasons),
      repairs: asRecord(this.repairs),
      labels: Object.fromEntries([...this.labels].map(([name, counts]) => [name, Object.fromEntries(counts)])),
      unsupportedRecords: this.unsupportedRecords,
      unsupported: this.unsupported,
      equal: [...this.same.values()].filter((ids) => ids.length > 1),
      nearlyEqual: alikePairs(this.texts.map((text) => text.text)).map(
        ({ first: number, second }) => [defined(this.texts[number]).id, defined(this.texts[second]).id] as const,
      ),
    }
  }
}

function count(counts: Map<string, number>, key: string): void {
  counts.set(key, (counts.get(key) ?? 0) + 1)
}

/** A problem as a reason that several replies may share. */
function reasonOf(p: Problem): string {
  switch (p.code) {
    case 'reply-field-invalid':
      return `"${p.data.field}" is invalid`
    case 'reply-passage-invalid':
      return `the passage "${p.data.passage}" is invalid`
    case 'reply-label-unknown':
      return 'unknown label'
    case 'reply-labels-several':
      return 'no label chosen'
    case 'reply-row-invalid':
      return 'invalid row'
    case 'reply-fixed-changed':
      return 'fixed text was changed'
    case 'reply-fixed-missing':
      return 'fixed text is missing'
    case 'reply-cut-off':
      return 'the reply is cut off'
    case 'reply-missing':
      return 'there is no reply'
    case 'cell-invalid':
    case 'cell-missing':
      return `the record’s column "${p.data.column}" is invalid`
    default:
      return p.message
  }
}

/** Repairs in words, by the names under which they are counted. */
const REPAIRS: Readonly<Record<string, string>> = {
  prose: 'text around the answer',
  fence: 'code fence',
  json: 'JSON syntax',
  closed: 'missing brackets',
  several: 'several objects',
  wrapped: 'nested in another object',
  key: 'key spelled differently',
  extra: 'unknown keys',
  type: 'value of another type',
  label: 'label within a text',
  marks: 'bullets or numbers',
  case: 'case or spelling',
}
/** Reasons on a line of their own each, as long as they are this few. */
const MOST_REASONS = 8

/** The summary for people, a line a topic. */
export function printSummary(summary: Summary, c: Colors): string {
  const { records, valid, repaired, refused, reasons, repairs, labels, unsupportedRecords, unsupported, equal, nearlyEqual } = summary
  const counts = (of: Readonly<Record<string, number>>) =>
    Object.entries(of)
      .map(([name, n]) => `${n} ${name}`)
      .join(c.dim(' · '))
  const line = (name: string, text: string) => `  ${c.dim(name.padEnd(11))} ${text}\n`
  const reasonLines = Object.entries(reasons).slice(0, MOST_REASONS)
  const more = Object.keys(reasons).length - reasonLines.length
  const alike = [...equal.map((ids) => ids.join(' = ')), ...nearlyEqual.map(([text, other]) => `${text} ≈ ${other}`)]
  return [
    `${plural(records, 'record')}: ${c.green(`${valid} valid`)}, ${repaired} repaired, ${refused > 0 ? c.yellow(`${refused} rejected`) : '0 rejected'}\n`,
    repaired > 0
      ? line('repaired', counts(Object.fromEntries(Object.entries(repairs).map(([name, n]) => [REPAIRS[name] ?? name, n]))))
      : '',
    ...reasonLines.map(([reason, n], i) => line(i === 0 ? 'rejected' : '', `${n} ${reason}`)),
    more > 0 ? line('', `and ${plural(more, 'more reason')}`) : '',
    ...Object.entries(labels).map(([name, of]) => line(name, counts(of))),
    unsupported > 0
      ? line(
          'unsupported',
          `${plural(unsupported, 'figure, date, name or sentence', 'figures, dates, names or sentences')} in ${unsupportedRecords} of them`,
        )
      : '',
    alike.length > 0
      ? line('alike', `${alike.slice(0, 8).join(c.dim(' · '))}${alike.length > 8 ? ` and ${alike.length - 8} more` : ''}`)
      : '',
  ].join('')
}
