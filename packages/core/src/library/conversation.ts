import type { AskSettings, PromptAnswer } from './ask-prompt.js'
import type { AnyValues, Prompt } from './prompt.js'
import { readAmount } from '../artefacts/amounts.js'
import type { Model } from '../asking/port.js'
import { problem, ProblemError } from '../problems/problem.js'
import { exchangesOf, SaidTurn, type PastTurn } from '../values/past-turns.js'
import { restorePlaceholders } from '../values/personal/placeholders.js'

/** How a conversation is held: its model, its values, and how much of its history is sent. */
export interface ConversationOptions<V extends object = AnyValues> extends Omit<AskSettings, 'candidate' | 'onText'> {
  /** Values that are the same for every turn. */
  readonly values?: Partial<V>
  /** How much of the history is sent: `10 exchanges`, or `6k tokens`. Default: all of it. */
  readonly limit?: string
  /** An earlier history of this conversation, to be continued. It must come from a conversation, not from a guest. */
  readonly history?: readonly PastTurn[]
  /** Counts the tokens of a text, for a limit in tokens. Default: the library's counter. */
  readonly countTokens?: (text: string) => number
}

/**
 * A conversation by one prompt: each call renders the next user turn, asks, and adds both to the history. The history is bounded by whole
 * exchanges, the oldest are left out first.
 */
export class Conversation<V extends object = AnyValues, R = unknown> {
  private readonly turns: SaidTurn[]
  private readonly fits: (exchanges: readonly (readonly PastTurn[])[]) => number
  private readonly masked = new Map<string, string>()

  constructor(
    private readonly prompt: Prompt<V, R>,
    /** The variable that the prompt places the history of. */
    private readonly variable: string,
    private readonly options: ConversationOptions<V>,
  ) {
    this.turns = (options.history ?? []).map(({ role, text }) => new SaidTurn(role, text))
    this.fits = limitOf(options)
  }

  /** The whole history, as plain data that can be stored. What was masked is in it as placeholders. */
  get history(): readonly PastTurn[] {
    return this.turns.map(({ role, text }) => ({ role, text }))
  }

  /** The turns of the history that the next call sends. */
  get remembered(): readonly PastTurn[] {
    return this.kept().map(({ role, text }) => ({ role, text }))
  }

  /**
   * Sends the next user turn. An answer that cannot be used is not part of the history.
   *
   * @param values - The values of this turn, over those of the conversation.
   * @throws ProblemError if the values do not match the prompt, and what the model throws.
   */
  async send(values: Partial<V> = {}, { onText }: Pick<AskSettings, 'onText'> = {}): Promise<PromptAnswer<R>> {
    const { values: same, limit: _, history: __, countTokens: ___, model, ...settings } = this.options
    const all = { ...same, ...values, [this.variable]: this.kept() } as unknown as V
    let raw = ''
    const unmasking: Model = async (request, call) => {
      const answer = await model(request, call)
      raw = answer.text
      return { ...answer, text: restorePlaceholders(answer.text, Object.fromEntries(this.masked)) }
    }
    const prepared = this.prompt.prepare(all)
    const rendering = prepared.render(settings)
    const answer = await this.prompt.askPrepared(prepared, { ...settings, model: unmasking, ...(onText && { onText }) })
    for (const [placeholder, original] of Object.entries(rendering.masked)) this.masked.set(placeholder, original)
    const asked = rendering.turns.findLast(({ role }) => role === 'user')
    if (answer.problems.length === 0 && asked) this.turns.push(new SaidTurn('user', asked.text), new SaidTurn('assistant', raw))
    return answer
  }

  private kept(): readonly SaidTurn[] {
    const exchanges = exchangesOf(this.turns)
    return exchanges.slice(exchanges.length - this.fits(exchanges)).flat()
  }
}

/** How many of the latest exchanges are within a limit. */
function limitOf({ limit, countTokens }: Pick<ConversationOptions, 'limit' | 'countTokens'>): Conversation['fits'] {
  if (limit === undefined) return (exchanges) => exchanges.length
  const [, amount = '', unit = ''] = /^\s*(.+?)\s+(exchanges?|tokens?)\s*$/.exec(limit) ?? []
  const most = readAmount(amount)
  if (most === undefined)
    throw new ProblemError([
      problem('value-invalid', {
        path: 'limit',
        expected: 'exchanges or tokens, as in "10 exchanges" or "6k tokens"',
        found: `"${limit}"`,
      }),
    ])
  if (unit.startsWith('exchange')) return (exchanges) => Math.min(most, exchanges.length)
  if (!countTokens) throw new TypeError('a limit in tokens needs countTokens, in the options of the conversation or of the library')
  return (exchanges) => {
    let left = most
    let count = 0
    for (const exchange of exchanges.toReversed()) {
      left -= exchange.reduce((sum, { text }) => sum + countTokens(text), 0)
      if (left < 0) break
      count++
    }
    return count
  }
}
