import { defined } from '../invariant.js'
import { ModelFault, type Finish, type Model, type ModelRequest, type Usage } from './port.js'
import { seededRandom } from '../render/choose.js'
import type { Form } from '../outputs/form.js'
import { rememberLong } from '../values/remember.js'

/** The faults of the mock model, with what each one does. */
export const MOCK_FAULTS = {
  slow: 'takes ten times as long',
  busy: 'responds with status 429 and Retry-After',
  broken: 'responds with status 500',
  dropped: 'drops the connection',
  'cut-off': 'stops in the middle',
  'in-prose': 'puts words around the answer',
  'passage-missing': 'leaves something out',
  'wrong-label': 'gives an unknown label',
  figure: 'makes a figure up',
  refusal: 'will not answer',
  empty: 'gives an empty reply',
  endless: 'never ends',
} as const
export type MockFault = keyof typeof MOCK_FAULTS

export interface MockOptions {
  readonly seed?: number
  /** Milliseconds that an answer takes. */
  readonly delay?: number
  /** Waits so long, or fails when nobody waits any longer: clocks are the platform's. Without it nothing takes time. */
  readonly pause?: (milliseconds: number, signal: AbortSignal) => Promise<void>
  /** The share of answers that have each fault: `{ busy: 0.1 }`. */
  readonly faults?: Partial<Readonly<Record<MockFault, number>>>
}

/** What is known of a question: enough to make an answer up. */
export type Question = Pick<ModelRequest, 'prompt' | 'record' | 'values' | 'fingerprint' | 'form'> & { readonly candidate?: number }

/** What a stand-in says, and in which way it misbehaves, if in any. */
export interface MockReply {
  readonly text: string
  readonly finish: Finish
  readonly way: MockFault | undefined
}

/**
 * Makes answers up, in the form that the output asks for and of the record's own words and figures: the same for the same question and seed. A
 * question that is asked again may be answered in another way.
 *
 * @example
 * const request = { prompt: 'hello', record: '1', values: { who: 'Ines' }, fingerprint: 'f', form: undefined, turns: [] }
 * const answer = await mockModel({ seed: 7 })(request, { signal: new AbortController().signal })
 * answer.finish // => 'done'
 */
export function mockModel(options: MockOptions = {}): Model {
  const { delay = 0, pause = () => Promise.resolve() } = options
  const invent = mockReplies(options)
  return async (request, { signal }) => {
    const { text, finish, way } = invent(request)
    await pause(way === 'slow' ? delay * 10 : delay, signal)
    if (way === 'busy') throw new ModelFault('it is busy (429)', { again: true, after: 1 })
    if (way === 'broken') throw new ModelFault('something broke (500)', { again: true })
    if (way === 'dropped') throw new ModelFault('the connection was dropped', { again: true })
    if (way === 'endless') {
      await pause(UNBOUNDED, signal)
      throw new ModelFault('it did not end', { again: true })
    }
    return { text, finish, usage: mockUsage(request.turns, text), isMock: true }
  }
}

/** What a stand-in says that it used: a token for what stands between two blanks. */
export function mockUsage(turns: readonly { readonly text?: string }[], answer: string): Usage {
  return { sent: turns.reduce((sum, { text = '' }) => sum + runsOf(text), 0), received: runsIn(answer) }
}

/** Makes up one answer after the other, each in its way. */
export function mockReplies({ seed = 0, faults = {} }: MockOptions): (question: Question) => MockReply {
  const tries = new Map<string, number>()
  return (question) => {
    const { fingerprint, candidate = 1 } = question
    const about = candidate === 1 ? 'text' : `text ${candidate}`
    const turn = (tries.get(fingerprint) ?? 0) + 1
    // Only those who are asked again are counted on; the others are forgotten in time.
    if (tries.size > 10_000) tries.clear()
    tries.set(fingerprint, turn)
    const way = wayBy(seededRandom(seed, fingerprint, `way ${turn}`), faults)
    return { ...invented(question, seededRandom(seed, fingerprint, about), way), way }
  }
}

function wayBy(lot: number, faults: MockOptions['faults']): MockFault | undefined {
  let left = lot / 0x4000_0000
  for (const [way, share] of Object.entries(faults ?? {}) as [MockFault, number][]) {
    if (left < share) return way
    left -= share
  }
  return undefined
}

function invented({ form, values, record }: Question, seed: number, way: MockFault | undefined): { text: string; finish: Finish } {
  const known = knownIn(values)
  const plain = form ? sampleOf(form, seed, known) : `About ${record}, invented: ${known.words.slice(0, 20).join(' ')}.`
  const done = (text: string) => ({ text, finish: 'done' as const })
  switch (way) {
    case 'cut-off':
      return { text: plain.slice(0, Math.floor(plain.length / 2)), finish: 'cut-off' }
    case 'in-prose':
      if (form?.ways.repairable.includes(way)) return done(form.sample(seed, { ...known, as: way }) ?? plain)
      return done(`Here is what you asked for:\n\n\`\`\`\n${plain}\n\`\`\`\n\nLet me know if anything is amiss.`)
    case 'passage-missing':
    case 'wrong-label':
      return done(wrongly(form, way, seed) ?? 'something else')
    case 'figure':
      return done(plain.replace(/\p{L}{4,}(?=\P{L}*$)/u, (word) => `${word} 7351`))
    case 'refusal':
      return { text: 'I cannot help with that.', finish: 'refused' }
    case 'empty':
      return done('')
    default:
      return done(plain)
  }
}

/** Some weeks, in milliseconds: as long as a clock can be set. */
const UNBOUNDED = 0x7fff_ffff

interface Known {
  readonly words: readonly string[]
  readonly numbers: readonly number[]
}

function sampleOf(form: Form, seed: number, known: Known): string {
  return form.sample(seed, known) ?? ''
}

/** Other than asked: in that way, or in the first that this form can be wrong in. */
function wrongly(form: Form | undefined, way: string, seed: number): string | undefined {
  if (!form) return undefined
  const ways = form.ways.wrong
  return form.sample(seed, { as: ways.includes(way) ? way : defined(ways[0]) })
}

const MOST_WORDS = 60

/** The words and figures of a record. */
function knownIn(values: Readonly<Record<string, unknown>>): Known {
  const words = new Set<string>()
  const numbers = new Set<number>()
  const look = (value: unknown): void => {
    if (typeof value === 'number') numbers.add(value)
    else if (typeof value === 'string')
      for (const word of value
        .slice(0, 2000)
        .toLowerCase()
        .match(/\p{L}{3,}/gu) ?? [])
        words.add(word)
    else if (Array.isArray(value)) value.forEach(look)
    else if (typeof value === 'object' && value !== null) Object.values(value).forEach(look)
  }
  look(values)
  return { words: [...words].slice(0, MOST_WORDS), numbers: [...numbers] }
}

const runsOf = rememberLong(runsIn)

/** Runs of signs between blanks. */
function runsIn(text: string): number {
  let runs = 0
  let blank = true
  for (let i = 0; i < text.length; i++) {
    const before = blank
    blank = text.charCodeAt(i) <= 32
    if (before && !blank) runs++
  }
  return runs
}
