import type { Lot } from './lot.js'
import { NoSample, sampleValue, wordsBy } from './values.js'
import { amountsIn, readPassage, type Amount } from '../passages.js'
import type { PassageStretch } from '../shape.js'

const MOST_TRIES = 100

/** What a passage may be written as: words in the amounts that its guidance asks for. */
export function samplePassage(stretch: PassageStretch, lot: Lot, oneLine: boolean): string {
  if (stretch.type !== 'text') return String(sampleValue({ kind: stretch.type }, lot, stretch.name))
  const amounts = new Map(amountsIn(stretch.guidance).map((amount) => [amount.unit, amount]))
  const short = oneLine && [...amounts.keys()].every((unit) => unit === 'word')
  for (let tries = 0; tries < MOST_TRIES; tries++) {
    const said = lot.saying(amounts.get('word')?.max ?? Infinity, Infinity)
    const words = short ? wordsBy(lot, Math.max(1, within(amounts.get('word'), lot, 1, 3))) : written(amounts, lot)
    const text = said === undefined ? words : words.replace(/\p{L}+(?: \p{L}+)?/u, () => said)
    if (readPassage(stretch, text).faults.length === 0) return text
  }
  throw new NoSample(`no text was found for the passage "${stretch.name}"`)
}

function written(amounts: ReadonlyMap<Amount['unit'], Amount>, lot: Lot): string {
  const bullets = amounts.has('bullet')
  const [unit, usual] = bullets ? (['bullet', 3] as const) : amounts.has('paragraph') ? (['paragraph', 1] as const) : (['line', 1] as const)
  const parts = within(amounts.get(unit), lot, usual, usual + 1)
  const sentences = Math.max(1, within(amounts.get('sentence'), lot, 0, 0))
  const most = Math.max(1, parts, sentences)
  const words = Math.max(most, within(amounts.get('word'), lot, most * 4, most * 7))
  const shares = Array.from({ length: most }, (_, i) => Math.floor((words * (i + 1)) / most) - Math.floor((words * i) / most))
  const said = shares.map((count) => wordsBy(lot, Math.max(1, count)))
  if (bullets) return said.map((one) => `- ${one}`).join('\n')
  if (parts > 1) return said.join(unit === 'paragraph' ? '\n\n' : '\n')
  return amounts.has('sentence') ? said.map((one) => `${one.charAt(0).toUpperCase()}${one.slice(1)}.`).join(' ') : said.join(' ')
}

function within(amount: Amount | undefined, lot: Lot, least: number, most: number): number {
  if (!amount) return lot.whole(least, most)
  const low = Math.max(amount.min, 0)
  return lot.whole(low, amount.max === Infinity ? low + 3 : Math.max(low, amount.max))
}
