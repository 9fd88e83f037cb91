import { ProblemError, type Library, type Problem, type Prompt } from 'dunelight'
import { cellText, type AnswerColumn, type Declared } from 'dunelight/parts'
import { attachmentTokens, defined, DistinctTexts, problem, textsOf } from 'dunelight/host'
import { AnswerSource } from './answer-source.js'
import { loneBatch, loneRecord } from './lone-batch.js'
import { notThese } from './not-these.js'
import { Questions, type Answered } from './question.js'
import type { QueueListener } from '../models/model-queue.js'
import type { ReadyModel } from '../models/ready-model.js'

/** How distinct items are collected. */
export interface CollectOptions extends QueueListener {
  readonly library: Library
  /** The library's folder, where answers are cached. */
  readonly folder: string
  readonly prompt: string
  /** The values that stay the same. */
  readonly values?: Readonly<Record<string, unknown>>
  readonly model: ReadyModel
  /** How many items. */
  readonly count: number
  /** The column by which items are compared. Default: all of their text. */
  readonly distinct?: string
  /** Variables, choices or booleans of the prompt, over whose values the requests are spread. */
  readonly over?: readonly string[]
  /** The most tokens that may be sent. Without it, at most three requests for each item. */
  readonly budget?: number
  readonly corrections?: number
  readonly fresh?: boolean
  readonly concurrency?: number
  readonly locale?: string
  readonly seed?: number
  readonly notice?: (problem: Problem) => void
  /** Hears how many items there are after each reply. */
  readonly onItems?: (count: number) => void
}

/** What was collected. */
export interface Collected {
  /** The columns of an item: the variables of `over`, then those of the answer. */
  readonly columns: readonly string[]
  readonly items: readonly Readonly<Record<string, unknown>>[]
  /** Why there are not as many as wanted. */
  readonly why: string | undefined
  /** Items that were the same as one before them, or nearly. */
  readonly duplicates: number
  readonly requests: number
  readonly cached: number
  /** Replies that could not be used. */
  readonly rejected: number
  readonly usage: { readonly sent: number; readonly received: number }
  readonly isMock: boolean
}

/** Requests for one item, where no budget is given. */
const REQUESTS_PER_ITEM = 3
/** Replies without a new item after which it ends. */
const STALE_REPLIES = 6

/**
 * Asks a prompt again and again until there are as many distinct items as wanted. Earlier items are handed on, so that they are not given again. With
 * the cached answers the same call gives the same items, and goes on from there.
 *
 * @param options - The library, the prompt, the model, and how many items.
 * @returns The items as rows of one table.
 * @throws ProblemError if the prompt cannot be rendered, or a variable of `over` has no values to spread over.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const model = readyModel(library, 'visitor/invent', 'mock')
 * const { items } = await collect({ library, folder: scratch, prompt: 'visitor/invent', model, count: 4 })
 * items.length // => 4
 */
export async function collect(options: CollectOptions): Promise<Collected> {
  const { library, prompt: name, model, locale, seed } = options
  const prompt = library.prompt(name)
  const batch = loneBatch(library, name, { seed, locale })
  const spread = combinations(prompt, options.over ?? [])
  const shape = itemShape(prompt.answerColumns)
  const { distinct } = options
  if (distinct !== undefined && !shape.columns.includes(distinct))
    throw new ProblemError([problem('answer-column-unknown', { name: distinct, known: shape.columns })])
  const source = await AnswerSource.open({ ...options, batch })
  try {
    const { corrections = 2 } = options
    const questions = new Questions(batch, model, corrections, source)
    const ask: Ask = (values, number, items) => {
      const prepared = prompt.prepare({ ...options.values, ...values })
      return questions.ask(loneRecord(`item ${number}`, prepared), prepared, [], { candidate: number, more: notThese(items) })
    }
    return await new Collecting(options, spread, shape, ask, source).run()
  } finally {
    await source.close()
  }
}

type Values = Readonly<Record<string, unknown>>
type Ask = (values: Values, number: number, items: readonly string[]) => Promise<Answered>

class Collecting {
  private readonly items: Values[] = []
  private readonly texts: string[] = []
  private readonly known = new DistinctTexts()
  private readonly asked: number[]
  private readonly counts = { duplicates: 0, requests: 0, cached: 0, rejected: 0, sent: 0, received: 0, isMock: false }
  private stale = 0

  constructor(
    private readonly options: CollectOptions,
    private readonly spread: readonly Values[],
    private readonly shape: ItemShape,
    private readonly ask: Ask,
    private readonly source: AnswerSource,
  ) {
    this.asked = spread.map(() => 0)
  }

  async run(): Promise<Collected> {
    const { count, over = [] } = this.options
    let why: string | undefined
    let next = 0
    while (this.items.length < count) {
      why = this.end()
      if (why !== undefined) break
      const size = this.roundSize()
      // All of a round know the same items: what a round asks does not depend on which reply comes first.
      const round = Array.from({ length: size }, () => {
        const place = next++ % this.spread.length
        const number = defined(this.asked[place]) + 1
        this.asked[place] = number
        const values = defined(this.spread[place])
        return { values, answered: this.ask(values, number, this.texts) }
      })
      await Promise.all(round.map(({ answered }) => answered))
      for (const { values, answered } of round) await this.take(values, await answered)
    }
    const { duplicates, requests, cached, rejected, sent, received, isMock } = this.counts
    const columns = [...over, ...this.shape.columns.filter((column) => !over.includes(column))]
    return { columns, items: this.items, why, duplicates, requests, cached, rejected, usage: { sent, received }, isMock }
  }

  /** Why it ends here. */
  private end(): string | undefined {
    const { count, budget, signal } = this.options
    const { requests, cached, sent } = this.counts
    if (signal?.aborted) return 'it was interrupted'
    if (this.stale >= Math.max(STALE_REPLIES, this.spread.length)) return `the last ${this.stale} replies had nothing new`
    if (budget !== undefined) return sent >= budget ? `the budget of ${budget} tokens is used` : undefined
    return requests + cached >= count * REQUESTS_PER_ITEM ? `${requests + cached} requests were made, three for each item` : undefined
  }

  private roundSize(): number {
    const { count, model, concurrency = model.concurrency } = this.options
    const replies = this.counts.requests + this.counts.cached
    const perReply = replies === 0 ? 1 : Math.max(1, this.items.length / replies)
    return Math.max(
      1,
      Math.min(concurrency, this.spread.length === 1 ? 1 : this.spread.length, Math.ceil((count - this.items.length) / perReply)),
    )
  }

  private async take(values: Values, answered: Answered): Promise<void> {
    const { problems, form, reply, text, answers, turns = [] } = answered
    for (const { answer, cached } of answers) {
      if (cached) this.counts.cached++
      else {
        this.counts.requests++
        this.counts.sent += answer.usage?.sent ?? (await this.tokensOf(turns))
        this.counts.received += answer.usage?.received ?? 0
      }
      this.counts.isMock ||= answer.isMock === true
    }
    const before = this.items.length
    if (problems.length > 0) this.counts.rejected++
    else for (const item of this.shape.itemsOf(form ? form.columns(reply?.value) : { reply: text })) this.add({ ...values, ...item })
    this.stale = this.items.length > before ? 0 : this.stale + 1
    this.options.onItems?.(this.items.length)
  }

  private async tokensOf(turns: NonNullable<Answered['turns']>): Promise<number> {
    if (this.options.budget === undefined) return 0
    const countTokens = await this.source.counter()
    const files = turns.flatMap(({ parts = [] }) => parts.flatMap((part) => (part.kind === 'file' ? [attachmentTokens(part)] : [])))
    return [...textsOf(turns).map(countTokens), ...files].reduce((sum, count) => sum + count, 0)
  }

  private add(item: Values): void {
    if (this.items.length >= this.options.count) return
    const { distinct } = this.options
    const columns = distinct === undefined ? this.shape.columns : [distinct]
    const text = columns.map((column) => cellText(item[column])).join(' · ')
    if (!this.known.add(text)) {
      this.counts.duplicates++
      return
    }
    this.items.push(item)
    this.texts.push(text)
  }
}

/** What one item of an answer is: a row, an item of its only list, or the answer itself. */
interface ItemShape {
  readonly columns: readonly string[]
  readonly itemsOf: (answer: Values) => readonly Values[]
}

function itemShape(columns: readonly AnswerColumn[]): ItemShape {
  const [only, another] = columns
  if (!only || another || only.nested !== 'list') return { columns: columns.map(({ name }) => name), itemsOf: (answer) => [answer] }
  const { name, fields } = only
  const list = (answer: Values): readonly unknown[] => {
    const value = answer[name]
    return Array.isArray(value) ? value : []
  }
  if (!fields) return { columns: [name], itemsOf: (answer) => list(answer).map((item) => ({ [name]: item })) }
  return { columns: fields, itemsOf: (answer) => list(answer) as readonly Values[] }
}

/** All combinations of the values of the variables; one without values if there are none. */
function combinations(prompt: Prompt, over: readonly string[]): readonly Values[] {
  return over.reduce<readonly Values[]>(
    (all, name) => {
      const options = optionsOf(
        prompt.variables.find((d) => d.name === name),
        name,
        prompt,
      )
      return all.flatMap((values) => options.map((option) => ({ ...values, [name]: option })))
    },
    [{}],
  )
}

function optionsOf(declared: Declared | undefined, name: string, { variables }: Prompt): readonly unknown[] {
  if (!declared) throw new ProblemError([problem('value-undeclared', { name, known: variables.map((d) => d.name) })])
  const { type } = declared
  if (type.kind === 'boolean') return [true, false]
  if (type.kind === 'choice' && type.of.length > 0) return type.of
  throw new ProblemError([problem('over-invalid', { name, why: 'it is neither a choice nor a boolean' })])
}
