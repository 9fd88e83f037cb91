import { defined } from '../invariant.js'
import { ModelFault, type Finish, type Model, type ModelRequest, type Usage } from './port.js'
import { seededRandom } from '../render/choose.js'
import type { Form } from '../outputs/form.js'
import { sentences } from '../outputs/sample/prose.js'
import { SampleRandom } from '../outputs/sample/random.js'
import { rememberLong } from '../values/remember.js'

/** The faults of the mock model, with what each one does. */
export const MOCK_FAULTS = {
  slow: 'takes ten times as long',
  busy: 'responds with status 429 and Retry-After',
  broken: 'responds with status 500',
  dropped: 'drops the connection',
  'cut-off': 'stops in the middle',
  'in-prose': 'adds text around the answer',
  'passage-missing': 'leaves out a required part',
  'wrong-label': 'returns an unknown label',
  figure: 'adds an invented figure',
  refusal: 'refuses to answer',
  empty: 'returns an empty reply',
  endless: 'never ends',
} as const
export type MockFault = keyof typeof MOCK_FAULTS

export interface MockOptions {
  readonly seed?: number
  /** Milliseconds until the reply. Default: 0. */
  readonly delay?: number
  /** Waits, or fails when the signal aborts. Default: no delay. */
  readonly pause?: (milliseconds: number, signal: AbortSignal) => Promise<void>
  /** The share of answers that have each fault: `{ busy: 0.1 }`. */
  readonly faults?: Partial<Readonly<Record<MockFault, number>>>
}

/** What the mock model receives of a request. */
export type Question = Pick<ModelRequest, 'prompt' | 'record' | 'values' | 'fingerprint' | 'form'> & { readonly candidate?: number }

/** A mock reply, and the fault that it has, if any. */
export interface MockReply {
  readonly text: string
  readonly finish: Finish
  readonly fault: MockFault | undefined
}

/**
 * The built-in model. Its replies have the form of the output and sentences about the record: the same for the same request and seed. A repeated
 * request may have another fault.
 *
 * @param options The seed, the delay of a reply, and the share of replies with each fault.
 * @returns A model that marks its answers as mock answers.
 * @example
 * const request = { prompt: 'hello', record: '1', values: { who: 'Ines' }, fingerprint: 'f', form: undefined, turns: [] }
 * const answer = await mockModel({ seed: 7 })(request, { signal: new AbortController().signal })
 * answer.finish // => 'done'
 */
export function mockModel(options: MockOptions = {}): Model {
  const { delay = 0, pause = () => Promise.resolve() } = options
  const invent = mockReplies(options)
  return async (request, { signal, onText }) => {
    const { text, finish, fault } = invent(request)
    await pause(fault === 'slow' ? delay * 10 : delay, signal)
    if (fault === 'busy') throw new ModelFault('it is busy (429)', { retry: true, retryAfter: 1 })
    if (fault === 'broken') throw new ModelFault('internal error (500)', { retry: true })
    if (fault === 'dropped') throw new ModelFault('the connection was dropped', { retry: true })
    if (fault === 'endless') {
      await pause(UNBOUNDED, signal)
      throw new ModelFault('the reply never ended', { retry: true })
    }
    if (onText) {
      for (let end = PIECE; end < text.length; end += PIECE) {
        onText(text.slice(0, end))
        await pause(PIECE_PAUSE, signal)
      }
    }
    return { text, finish, usage: mockUsage(request.turns, text), isMock: true }
  }
}

/** Characters of an answer that comes in pieces, and the milliseconds between two. */
const PIECE = 24
const PIECE_PAUSE = 12

/** The token usage that the mock model reports: a token for each run of characters between spaces. */
export function mockUsage(turns: readonly { readonly text?: string }[], answer: string): Usage {
  return { sent: turns.reduce((sum, { text = '' }) => sum + runsOf(text), 0), received: runsIn(answer) }
}

/** Makes replies, one per request. */
export function mockReplies({ seed = 0, faults = {} }: MockOptions): (question: Question) => MockReply {
  const attempts = new Map<string, number>()
  return (question) => {
    const { fingerprint, candidate = 1 } = question
    const purpose = candidate === 1 ? 'text' : `text ${candidate}`
    const attempt = (attempts.get(fingerprint) ?? 0) + 1
    // Only repeated requests need their count; the others are forgotten in time.
    if (attempts.size > 10_000) attempts.clear()
    attempts.set(fingerprint, attempt)
    const fault = faultBy(seededRandom(seed, fingerprint, `way ${attempt}`), faults)
    return { ...invented(question, seededRandom(seed, fingerprint, purpose), fault), fault }
  }
}

function faultBy(random: number, faults: MockOptions['faults']): MockFault | undefined {
  let left = random / 0x4000_0000
  for (const [fault, share] of Object.entries(faults ?? {}) as [MockFault, number][]) {
    if (left < share) return fault
    left -= share
  }
  return undefined
}

function invented({ form, values }: Question, seed: number, fault: MockFault | undefined): { text: string; finish: Finish } {
  const plain = form ? (form.sample(seed, { values }) ?? '') : plainReply(seed, values)
  const done = (text: string) => ({ text, finish: 'done' as const })
  switch (fault) {
    case 'cut-off':
      return { text: plain.slice(0, Math.floor(plain.length / 2)), finish: 'cut-off' }
    case 'in-prose':
      if (form?.ways.repairable.includes(fault)) return done(form.sample(seed, { values, as: fault }) ?? plain)
      return done(`Here is the answer:\n\n\`\`\`\n${plain}\n\`\`\`\n\nLet me know if it needs a change.`)
    case 'passage-missing':
    case 'wrong-label':
      return done(malformed(form, fault, seed) ?? 'something else')
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

/** Some weeks, in milliseconds: the longest time of a timer. */
const UNBOUNDED = 0x7fff_ffff
/** Words of a reply that has no form. */
const PLAIN_WORDS = { least: 12, most: 40 }

function plainReply(seed: number, values: Question['values']): string {
  return `Invented: ${sentences(new SampleRandom(seed, values), PLAIN_WORDS.least, PLAIN_WORDS.most).join(' ')}`
}

/** A reply that is malformed in this way, or in the first way that the form has. */
function malformed(form: Form | undefined, fault: string, seed: number): string | undefined {
  if (!form) return undefined
  const ways = form.ways.wrong
  return form.sample(seed, { as: ways.includes(fault) ? fault : defined(ways[0]) })
}

const runsOf = rememberLong(runsIn)

/** Runs of characters between spaces and line breaks. */
function runsIn(text: string): number {
  let runs = 0
  let isSpace = true
  for (let i = 0; i < text.length; i++) {
    const before = isSpace
    isSpace = text.charCodeAt(i) <= 32
    if (before && !isSpace) runs++
  }
  return runs
}
