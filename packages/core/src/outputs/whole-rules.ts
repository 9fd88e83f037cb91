import { isFinished, textsIn } from './must-say.js'
import type { Reading } from './reading.js'
import type { Shape, WholeRules } from './shape.js'
import { boundsInWords } from '../interop/to-schema.js'
import { problem } from '../problems/problem.js'
import { isRecord, own, put } from '../values/data.js'
import { wordCount } from '../values/accept.js'

/** Citations in a text: `[2]`, `[1, 3]`, `[2–4]`. */
const CITATION = /\[(\d{1,4}(?:\s*[,;–-]\s*\d{1,4})*)\]/g
/** The number of an entry in a passage: `[2] …`, `2. …`. */
const NUMBER = /^(?:\[(\d{1,4})\]|(\d{1,4})[.):])\s/
/** A citation of more entries than this is none. */
const LONGEST_RANGE = 100

/** The sentences that ask for what the whole answer has to keep to. */
export function wholeInWords({ whole }: Shape): string {
  if (!whole) return ''
  const { cites, minWords, maxWords, notCounting } = whole
  const bounds = boundsInWords(minWords, maxWords, 'word', 'words')
  const except = notCounting.length > 0 ? `, not counting ${notCounting.join(', ')}` : ''
  return [
    ...(cites === undefined ? [] : [`Cite the entries of ${cites} by their numbers, as in [1]; cite each of them.`]),
    ...(bounds === '' ? [] : [`The answer has ${bounds}${except}.`]),
  ].join(' ')
}

/** Whether the parts of a value fit together: citations and their entries, and the words of all. */
export function checkWhole({ whole }: Shape, value: unknown, reading: Reading): void {
  const parts = partsOf(value)
  if (!whole || !parts) return
  if (whole.cites !== undefined) checkCitations(parts, whole.cites, reading)
  checkWords(parts, whole, reading)
}

/** The parts of a value by name: fields, or the passages of a document. */
function partsOf(value: unknown): Record<string, unknown> | undefined {
  if (isFinished(value)) return value.passages
  return isRecord(value) ? value : undefined
}

function checkCitations(parts: Record<string, unknown>, cites: string, reading: Reading): void {
  const entries = entriesOf(own(parts, cites))
  const cited = citedIn(parts, cites)
  for (const [number, text] of cited) {
    const position = reading.text.indexOf(text)
    const span = position < 0 ? undefined : reading.span(position, position + text.length)
    if (!entries.has(number)) reading.report(problem('reply-citation-unknown', { number, list: cites }, span))
  }
  for (const number of entries) if (!cited.has(number)) reading.report(problem('reply-citation-unused', { number, list: cites }))
}

/** The numbers of the entries: those that they begin with, if all do, else their places. */
function entriesOf(list: unknown): ReadonlySet<number> {
  const texts = Array.isArray(list)
    ? list.map((entry) => (typeof entry === 'string' ? entry : ''))
    : typeof list === 'string'
      ? list.split('\n').filter((line) => line.trim() !== '')
      : []
  const numbers = texts.map((text) => NUMBER.exec(text.replace(/^\s*[-*+•]\s+/, '').trim()))
  const isNumbered = numbers.every((match) => match)
  return new Set(texts.map((_, i) => (isNumbered ? Number(numbers[i]?.[1] ?? numbers[i]?.[2]) : i + 1)))
}

/** The cited numbers, each with the citation in which it comes first. */
function citedIn(parts: Record<string, unknown>, cites: string): ReadonlyMap<number, string> {
  const cited = new Map<number, string>()
  for (const [name, part] of Object.entries(parts))
    if (name !== cites)
      for (const text of textsIn(part))
        for (const match of text.matchAll(CITATION))
          for (const number of numbersOf(match[1] ?? '')) if (!cited.has(number)) cited.set(number, match[0])
  return cited
}

function numbersOf(citation: string): number[] {
  return citation.split(/[,;]/).flatMap((part) => {
    const [from = 0, to = from] = part.split(/[–-]/).map(Number)
    return Array.from({ length: Math.min(Math.max(to - from, 0), LONGEST_RANGE) + 1 }, (_, i) => from + i)
  })
}

function checkWords(parts: Record<string, unknown>, { minWords, maxWords, notCounting }: WholeRules, reading: Reading): void {
  if (minWords === undefined && maxWords === undefined) return
  const counted = Object.entries(parts).filter(([name]) => !notCounting.includes(name))
  const count = counted.flatMap(([, part]) => textsIn(part)).reduce((sum, text) => sum + wordCount(text), 0)
  const except = [...notCounting]
  if (minWords !== undefined && count < minWords)
    reading.report(problem('reply-words', { count, detail: `fewer than ${minWords}`, except }))
  if (maxWords !== undefined && count > maxWords) reading.report(problem('reply-words', { count, detail: `more than ${maxWords}`, except }))
}

/** The parts of a sample, in which the first text cites all entries. `texts` are the names of the parts that are texts. */
export function withCitations(
  parts: Record<string, unknown>,
  whole: WholeRules | undefined,
  texts: readonly string[],
): Record<string, unknown> {
  const cites = whole?.cites
  const citing = texts.find((name) => name !== cites && typeof own(parts, name) === 'string')
  if (cites === undefined || citing === undefined) return parts
  const citations = [...entriesOf(own(parts, cites))].map((number) => ` [${number}]`).join('')
  const cited: Record<string, unknown> = {}
  for (const [name, part] of Object.entries(parts)) put(cited, name, name === citing ? `${String(part)}${citations}` : part)
  return cited
}
