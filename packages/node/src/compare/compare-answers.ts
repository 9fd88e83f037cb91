import { createReadStream } from 'node:fs'
import { join } from 'node:path'
import { createInterface } from 'node:readline'
import { diffWordsWithSpace } from 'diff'
import { cellText, type AnswerColumn } from 'dunelight/parts'
import { type ModelDescription, defined, likeness } from 'dunelight/host'
import { countWords } from '../replies/likeness.js'
import { formatNumber, type Section, type TextChunk } from '../runs/report-layout.js'
import type { ReasonCount } from '../runs/counts.js'
import type { AskResult } from '../ask/ask-batch.js'
import { costOf } from '../ask/ask-report.js'

/** One of two things that were asked about the same records. */
export interface ComparedSide {
  readonly name: string
  readonly result: AskResult
  readonly price: ModelDescription['price']
}

export interface SideFigures {
  readonly name: string
  readonly answered: number
  readonly rejected: number
  readonly repaired: number
  readonly unsupportedCount: number
  /** Words of an answer, in the middle. */
  readonly words: number
  readonly tokens: { readonly sent: number; readonly received: number }
  readonly cost: string | undefined
  readonly seconds: number
  readonly reasons: readonly ReasonCount[]
}

export interface LabelAgreement {
  readonly column: string
  readonly labels: readonly string[]
  /** How many records have the one's label, by row, and the other's, by column. */
  readonly table: readonly (readonly number[])[]
  readonly agree: number
  readonly of: number
}

export interface Difference {
  readonly record: string
  readonly row: number
  readonly first: string
  readonly other: string
  /** From 0, the same words, to 1, none in common. */
  readonly distance: number
}

export interface AnswerComparison {
  readonly sides: readonly [SideFigures, SideFigures]
  /** Records that both answered, and such that were answered in the same words. */
  readonly both: number
  readonly same: number
  readonly labels: readonly LabelAgreement[]
  /** The records whose answers have least in common. */
  readonly differing: readonly Difference[]
}

const MOST_SHOWN = 8
/** More labels than these are no labels. */
const MOST_LABELS = 24

interface AnswerLine {
  readonly record: string
  readonly number: number
  readonly answer: Readonly<Record<string, unknown>>
}

/** Compares the answers of two runs over the same records. */
export async function compareAnswers(
  comparedSide: ComparedSide,
  other: ComparedSide,
  columns: readonly AnswerColumn[],
): Promise<AnswerComparison> {
  const first = new Map<number, { readonly text: string; readonly labels: readonly string[] }>()
  const words: [number[], number[]] = [[], []]
  const labelsOf = ({ answer }: AnswerLine) => columns.map(({ name }) => cellText(answer[name]))
  for await (const line of answersOf(comparedSide.result)) {
    const text = textOf(line.answer)
    words[0].push(countWords(text))
    first.set(line.number, { text, labels: labelsOf(line) })
  }
  const pairs = columns.map(() => new Map<string, number>())
  const differing: Difference[] = []
  let both = 0
  let same = 0
  for await (const line of answersOf(other.result)) {
    const text = textOf(line.answer)
    words[1].push(countWords(text))
    const before = first.get(line.number)
    if (!before) continue
    both++
    labelsOf(line).forEach((label, i) => {
      const key = JSON.stringify([before.labels[i], label])
      defined(pairs[i]).set(key, (defined(pairs[i]).get(key) ?? 0) + 1)
    })
    if (before.text === text) {
      same++
      continue
    }
    const difference = { record: line.record, row: line.number, first: before.text, other: text, distance: 1 - likeness(before.text, text) }
    const position = differing.findIndex((known) => known.distance < difference.distance)
    if (position >= 0 || differing.length < MOST_SHOWN) differing.splice(position < 0 ? differing.length : position, 0, difference)
    if (differing.length > MOST_SHOWN) differing.pop()
  }
  return {
    sides: [figuresOf(comparedSide, words[0]), figuresOf(other, words[1])],
    both,
    same,
    labels: columns.flatMap((column, i) => agreementOf(column, defined(pairs[i]))),
    differing,
  }
}

async function* answersOf({ folder, file }: AskResult): AsyncGenerator<AnswerLine> {
  for await (const line of createInterface({ input: createReadStream(join(folder, file.output), 'utf8'), crlfDelay: Infinity }))
    yield JSON.parse(line) as AnswerLine
}

/** An answer as one text: its only column, or each below its name. */
function textOf(answer: Readonly<Record<string, unknown>>): string {
  // A finished document contains its passages.
  const entries = Object.entries(answer).filter(([name, value]) => value !== null && (name === 'document' || !('document' in answer)))
  const written = (value: unknown) => (typeof value === 'string' ? value : JSON.stringify(value))
  return entries.length === 1 ? written(defined(entries[0])[1]) : entries.map(([name, value]) => `${name}: ${written(value)}`).join('\n')
}

function figuresOf({ name, result, price }: ComparedSide, words: number[]): SideFigures {
  const { written: answered, rejected: rejected, repaired, unsupported: unsupportedCount, usage, reasons } = result.counts
  const middle = words.sort((a, b) => a - b)[words.length >> 1] ?? 0
  const cost = price && costOf(usage, price)
  return {
    name,
    answered,
    rejected,
    repaired,
    unsupportedCount,
    words: middle,
    tokens: usage,
    cost,
    seconds: result.file.seconds ?? 0,
    reasons,
  }
}

function agreementOf({ name, labels: known }: AnswerColumn, pairs: ReadonlyMap<string, number>): LabelAgreement[] {
  const counted = [...pairs].map(([key, count]) => [...(JSON.parse(key) as [string, string]), count] as const)
  const values = new Set(counted.flatMap(([text, other]) => [text, other]))
  const labels = [...new Set([...(known ?? []), ...values])].filter((label) => values.has(label))
  if (labels.length === 0 || labels.length > MOST_LABELS) return []
  const table = labels.map((label) => labels.map((other) => counted.find(([a, b]) => a === label && b === other)?.[2] ?? 0))
  const of = counted.reduce((sum, [, , count]) => sum + count, 0)
  return [{ column: name, labels, table, agree: labels.reduce((sum, _, i) => sum + defined(defined(table[i])[i]), 0), of }]
}

const number = formatNumber

/** The figures side by side, a row each: the name, the first value, the second. */
export function comparedRows({ sides }: AnswerComparison): [string, string, string][] {
  const share = ({ answered, rejected }: SideFigures, part: number) =>
    `${number(part)} (${((part / Math.max(1, answered + rejected)) * 100).toFixed(1)} %)`
  const row = (name: string, of: (side: SideFigures) => string): [string, string, string] => [name, of(sides[0]), of(sides[1])]
  const codes = [...new Set(sides.flatMap(({ reasons }) => reasons.map(({ code }) => code)))]
  return [
    row('answered', (side) => share(side, side.answered)),
    row('of them repaired', (side) => number(side.repaired)),
    row('of them with unsupported claims', (side) => number(side.unsupportedCount)),
    row('rejected', (side) => share(side, side.rejected)),
    ...codes.map((code) => row(`  ${code}`, ({ reasons }) => number(reasons.find((reason) => reason.code === code)?.count ?? 0))),
    row('words per answer', (side) => number(side.words)),
    ...(sides.some(({ tokens }) => tokens.sent > 0)
      ? [row('tokens sent', ({ tokens }) => number(tokens.sent)), row('tokens received', ({ tokens }) => number(tokens.received))]
      : []),
    ...(sides.some(({ cost }) => cost !== undefined) ? [row('cost', ({ cost }) => cost ?? 'no price')] : []),
    row('seconds', (side) => side.seconds.toFixed(1)),
  ]
}

/** The parts of a report about the two. */
export function comparedSections(comparison: AnswerComparison): Section[] {
  const { sides, both, same, labels, differing } = comparison
  return [
    {
      title: 'Comparison',
      notes: [`${number(both)} records were answered by both, ${number(same)} of them in the same words.`],
      head: ['', sides[0].name, sides[1].name],
      rows: comparedRows(comparison),
    },
    ...labels.map((label): Section => ({
      title: `${label.column}: the same for ${((label.agree / Math.max(1, label.of)) * 100).toFixed(1)} %`,
      notes: [`Rows: ${sides[0].name}. Columns: ${sides[1].name}.`],
      head: ['', ...label.labels],
      rows: label.table.map((counts, i) => [defined(label.labels[i]), ...counts.map((count) => (count === 0 ? '·' : number(count)))]),
    })),
    {
      title: 'Largest differences',
      notes: differing.length === 0 ? ['No differences.'] : [],
      wide: true,
      pairs: differing.map(({ record, row, first, other }) => ({ title: `${record}, row ${number(row)}`, ...marked(first, other) })),
    },
  ]
}

/** Two texts, and what of each the other does not have. */
export function marked(first: string, other: string): { first: TextChunk[]; other: TextChunk[] } {
  const parts = diffWordsWithSpace(first, other)
  const side = (leaves: 'added' | 'removed') =>
    parts.filter((part) => !part[leaves]).map((part) => ({ text: part.value, own: part.added || part.removed }))
  return { first: side('added'), other: side('removed') }
}
