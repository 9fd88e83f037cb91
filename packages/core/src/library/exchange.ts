import type { CheckedReply, Rendering } from './rendering.js'
import type { Screens, ScreenFinding } from '../asking/screens.js'
import type { ModelAnswer } from '../asking/port.js'
import { contained } from '../problems/contained.js'
import { problem, type Problem } from '../problems/problem.js'
import type { Turn } from '../render/render.js'
import { restorePlaceholders } from '../values/personal/placeholders.js'

/** How one rendering is put to a model. */
export interface ExchangeOptions {
  /** Answers turns; `isFirst` is false for corrections. */
  readonly ask: (turns: readonly Turn[], isFirst: boolean) => Promise<ModelAnswer>
  /** How often a reply that cannot be used is asked for again. */
  readonly corrections: number
  /** Turns after those of the rendering. */
  readonly more?: readonly Turn[]
  readonly screens: Screens
  /** Gives what counts tokens, when a screen needs it. Default: nothing is counted. */
  readonly counter?: () => Promise<(text: string) => number>
}

/** What came of it. */
export interface Exchanged {
  /** The text of the last reply, with what was masked in the place of its placeholders; undefined if nothing was sent. */
  readonly text: string | undefined
  readonly reply: CheckedReply | undefined
  /** Why the reply cannot be used. */
  readonly problems: readonly Problem[]
  /** What screens found that keeps nothing from being used. */
  readonly notes: readonly ScreenFinding[]
  /** The turns of the last request; undefined if nothing was asked. */
  readonly turns?: readonly Turn[]
}

/**
 * Screens a rendering, asks, reads the reply, and has what cannot be used asked for again.
 *
 * @throws ScreenStop where a screen stops everything, and what `ask` throws.
 */
export async function exchange(rendering: Rendering, options: ExchangeOptions): Promise<Exchanged> {
  const { ask, corrections, more = [], screens, counter } = options
  const notes: ScreenFinding[] = []
  const screen = async (side: ScreenFinding['side'], texts: readonly string[], sent: readonly string[]) => {
    const countTokens = screens.needTokenCounts(side, texts) ? await counter?.() : undefined
    const { refused, noted } = screens.sorted(side, texts, sent, countTokens)
    notes.push(...noted)
    return refused
  }
  let turns: readonly Turn[] = [...rendering.turns, ...more]
  const sent = textsOf(turns)
  const forbidden = await screen('request', sent, [])
  if (forbidden.length > 0) return { text: undefined, reply: undefined, problems: forbidden, notes }
  for (let left = corrections; ; left--) {
    const answer = await ask(turns, left === corrections)
    const text = restorePlaceholders(answer.text, rendering.masked)
    const reply = contained(() => rendering.read(answer.text))
    const problems = [...faultsOf(answer, reply), ...(await screen('reply', [answer.text], sent))]
    if (problems.length === 0 || left <= 0 || answer.finish === 'refused') return { text, reply, problems, notes, turns }
    turns = [...turns, ...correction(answer.text, problems)]
  }
}

/** Everything that is sent to a model. */
export function textsOf(turns: readonly Turn[]): string[] {
  return turns.flatMap(({ text, parts = [] }) => [text, ...parts.flatMap((part) => (part.kind === 'text' ? [part.text] : []))])
}

/** The problems of an answer: how it ended before its content. */
function faultsOf({ finish, text }: ModelAnswer, reply: CheckedReply): readonly Problem[] {
  if (finish === 'refused') return [problem('answer-refused', { detail: text.replace(/\s+/g, ' ').trim().slice(0, 120) })]
  if (text.trim() === '') return [problem('reply-empty', {})]
  if (finish === 'cut-off' && reply.problems.every((p) => p.code !== 'reply-cut-off'))
    return [problem('reply-cut-off', { within: '' }), ...reply.problems]
  return reply.problems
}

const LISTED_PROBLEMS = 8

/** The reply that was no use, and what is asked for in its place. */
function correction(text: string, problems: readonly Problem[]): Turn[] {
  const list = problems.slice(0, LISTED_PROBLEMS).map(({ message, hint }) => `- ${message}${hint === undefined ? '' : ` (${hint})`}`)
  const ask: Turn = {
    role: 'user',
    text: `That answer cannot be used:\n${list.join('\n')}\n\nGive the whole answer once more, in the form that was asked for and with nothing around it.`,
  }
  return text.trim() === '' ? [ask] : [{ role: 'assistant', text }, ask]
}
