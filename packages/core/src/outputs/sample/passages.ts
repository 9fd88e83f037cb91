import type { SampleRandom } from './random.js'
import { phrase, sentences } from './prose.js'
import { NoSample, sampleValue } from './values.js'
import { amountsIn, readPassage, type Amount } from '../passages.js'
import type { PassageSegment } from '../shape.js'

const MAX_TRIES = 100

/** A sample text for a passage, in the amounts that its guidance asks for. */
export function samplePassage(segment: PassageSegment, random: SampleRandom, oneLine: boolean): string {
  // Small numbers too: they are the ones that look like the numbers of a list.
  if (segment.type === 'integer' && random.next() < 0.3) return String(random.whole(0, 9))
  if (segment.type !== 'text') return String(sampleValue({ kind: segment.type }, random, segment.name))
  const amounts = new Map(amountsIn(segment.guidance).map((amount) => [amount.unit, amount]))
  const isPhrase = oneLine && [...amounts.keys()].every((unit) => unit === 'word')
  for (let tries = 0; tries < MAX_TRIES; tries++) {
    const required = random.takeRequired(amounts.get('word')?.max ?? Infinity, Infinity)
    const plain = isPhrase ? phrase(random, amounts.get('word')?.min ?? 1, amounts.get('word')?.max ?? 3) : inAmounts(amounts, random)
    const text = required === undefined ? plain : plain.replace(/\p{L}+(?: \p{L}+)?/u, () => required)
    if (readPassage(segment, text).faults.length === 0) return text
  }
  throw new NoSample(`no text was found for the passage "${segment.name}"`)
}

/** Bullets, paragraphs, lines or sentences of a text, each as long as the words allow. */
function inAmounts(amounts: ReadonlyMap<Amount['unit'], Amount>, random: SampleRandom): string {
  const unit = (['bullet', 'paragraph', 'line', 'sentence'] as const).find((name) => amounts.has(name))
  const parts = unit ? Math.max(1, within(amounts.get(unit), random, unit === 'bullet' ? 3 : 1)) : 1
  const { min, max } = amounts.get('word') ?? { min: parts * 4, max: parts * 24 }
  const least = Math.floor(Math.max(min, 1) / parts)
  const most = Math.max(1, Math.floor(max / parts))
  const written = Array.from({ length: parts }, (_, i) => {
    const list = sentences(random, i === 0 ? least + (Math.max(min, 1) % parts) : least, most)
    // A part that is a sentence, a bullet or a line is one of them only.
    return unit === undefined || unit === 'paragraph' ? list.join(' ') : asOne(list)
  })
  if (unit === 'bullet') return written.map((text) => `- ${text}`).join('\n')
  return written.join(unit === 'paragraph' ? '\n\n' : unit === 'line' ? '\n' : ' ')
}

/** Sentences as one, joined by commas. */
function asOne(list: readonly string[]): string {
  const clauses = list.map((sentence, i) => (i === 0 ? sentence : sentence.charAt(0).toLowerCase() + sentence.slice(1)))
  return `${clauses.map((clause) => clause.replace(/\.$/, '')).join(', and ')}.`
}

function within(amount: Amount | undefined, random: SampleRandom, usual: number): number {
  if (!amount) return random.whole(usual, usual + 1)
  const low = Math.max(amount.min, 0)
  return random.whole(low, amount.max === Infinity ? low + 3 : Math.max(low, amount.max))
}
