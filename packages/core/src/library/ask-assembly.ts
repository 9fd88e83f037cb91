import type { Assembly, PartQuestion } from './assembly.js'
import type { OriginText } from './markdown.js'
import type { AskSettings } from './ask-prompt.js'
import type { AnyValues } from './prompt.js'
import { problem, type Problem } from '../problems/problem.js'
import { own } from '../values/data.js'
import { DistinctTexts } from '../values/distinct.js'
import { answerOf } from '../outputs/answer-type.js'
import type { Form } from '../outputs/form.js'
import type { CheckedReply } from './rendering.js'

/** One answer to a part's question, as its candidates are compared. */
export interface PartAnswer {
  /** Undefined if nothing came. */
  readonly text: string | undefined
  readonly form: Form | undefined
  readonly reply: CheckedReply | undefined
  /** Why it cannot be used. */
  readonly problems: readonly Problem[]
}

/** An answer that was settled before: by a person, or in an earlier run. `answer` is what other parts see. */
export interface Settled {
  readonly answer: unknown
}

/** How the questions of an assembly are answered. */
export interface Answering<A extends PartAnswer> {
  /** Gives one answer: `candidate` is its number among several to the same question, from 1. */
  readonly answer: (question: PartQuestion, candidate: number) => Promise<A>
  /** What was decided before. It is used as it is, and nothing is asked for it. */
  readonly settled?: (question: PartQuestion) => Settled | undefined
}

/** What happens while an assembly is asked. */
export type AssemblyEvent<A extends PartAnswer = PartAnswer, P extends object = Readonly<Record<string, unknown>>> =
  | { readonly kind: 'asking' | 'settled'; readonly key: string }
  | { readonly kind: 'reply'; readonly key: string; readonly candidate: number; readonly reply: A }
  | { readonly kind: 'answered'; readonly key: string; readonly candidate: number; readonly answer: unknown }
  | { readonly kind: 'waiting'; readonly key: string; readonly candidates: readonly A[] }
  | { readonly kind: 'failed'; readonly key: string; readonly problems: readonly Problem[] }
  | ({ readonly kind: 'document'; readonly columns: { readonly document: string } & P } & OriginText)

/** How a program asks for an assembly. */
export interface AskAssemblyOptions extends AskSettings {
  readonly settled?: Answering<PartAnswer>['settled']
  /** Requests in flight at the same time. Default: 8. */
  readonly concurrency?: number
}

const CONCURRENCY = 8

/** Asks a model for every part by the prompts' own calls. */
export function answerParts(assembly: Assembly, values: AnyValues, options: AskAssemblyOptions): AsyncGenerator<AssemblyEvent> {
  const { settled, concurrency = CONCURRENCY, ...settings } = options
  const gate = new Gate(concurrency)
  const answer = ({ prompt, prepared, problems }: PartQuestion, candidate: number): Promise<PartAnswer> =>
    prepared
      ? gate.run(() => prompt.askPrepared(prepared, { ...settings, candidate }))
      : Promise.resolve({ text: undefined, form: undefined, reply: undefined, problems })
  return askAssembly(assembly, values, { answer, ...(settled && { settled }) }, settings)
}

/**
 * Asks for the parts of an assembly, each as soon as what it needs is answered, and tells what happens. It ends with the document; without
 * one if a part failed or waits for a person: then all that does not depend on it has been asked.
 *
 * @param values - Values that the assembly's `input` has accepted.
 */
export async function* askAssembly<A extends PartAnswer>(
  assembly: Assembly,
  values: AnyValues,
  answering: Answering<A>,
  options: Pick<AskSettings, 'record' | 'seed' | 'locale'> = {},
): AsyncGenerator<AssemblyEvent<A>> {
  const answers = new Map<string, unknown>()
  const begun = new Set<string>()
  /** The questions of each part that have no answer yet: others can only follow once there are none. */
  const open = new Map<string, number>()
  const events = new EventQueue<AssemblyEvent<A>>()
  let isStopped = false
  const begin = (): void => {
    if (isStopped) return
    const next = assembly.questions(values, answers).questions.filter(({ key }) => !begun.has(key))
    for (const { key, part } of next) {
      begun.add(key)
      open.set(part.name, (open.get(part.name) ?? 0) + 1)
    }
    for (const question of next) events.during(one(question))
  }
  const one = async (question: PartQuestion): Promise<void> => {
    const { key } = question
    const settled = answering.settled?.(question)
    if (settled) {
      answers.set(key, settled.answer)
      events.push({ kind: 'settled', key })
    } else {
      const chosen = await choose(question, answering, (event) => events.push(event))
      if (!chosen) return
      answers.set(key, chosen.answer)
      events.push({ kind: 'answered', key, ...chosen })
    }
    const left = (open.get(question.part.name) ?? 0) - 1
    open.set(question.part.name, left)
    if (left === 0) begin()
  }
  try {
    begin()
    yield* events.all()
  } finally {
    isStopped = true
  }
  const { isComplete, parts } = assembly.questions(values, answers)
  if (!isComplete) return
  const { record, seed, locale } = options
  const document = assembly.document(values, parts, {
    ...(record !== undefined && { record }),
    ...(seed !== undefined && { seed }),
    ...(locale !== undefined && { locale }),
  })
  yield { kind: 'document', ...document, columns: { ...assembly.columns(parts, document.text), document: document.text } }
}

interface Chosen {
  readonly candidate: number
  readonly answer: unknown
}

/** Asks for the candidates of one question and chooses among them; undefined where there is nothing to go on with. */
async function choose<A extends PartAnswer>(
  question: PartQuestion,
  answering: Answering<A>,
  tell: (event: AssemblyEvent<A>) => void,
): Promise<Chosen | undefined> {
  const { key, part, problems } = question
  tell({ kind: 'asking', key })
  if (problems.length > 0) {
    tell({ kind: 'failed', key, problems })
    return undefined
  }
  const candidates = await candidatesOf(question, answering, (candidate, reply) => tell({ kind: 'reply', key, candidate, reply }))
  const valid = candidates.flatMap((reply, i) => (isUsable(reply) ? [{ candidate: i + 1, reply }] : []))
  const [first] = valid
  if (!first) {
    tell({ kind: 'failed', key, problems: candidates[0]?.problems ?? [] })
    return undefined
  }
  if (part.choose === 'person') {
    tell({ kind: 'waiting', key, candidates })
    return undefined
  }
  const chosen = question.judge ? await best(question.judge, valid, answering) : first
  if ('problems' in chosen) {
    tell({ kind: 'failed', key, problems: chosen.problems })
    return undefined
  }
  return { candidate: chosen.candidate, answer: valueOf(chosen.reply) }
}

/** The answers to a question; with `distinct`, more are asked for in place of those that are nearly the same, up to twice as many. */
export async function candidatesOf<A extends PartAnswer>(
  question: PartQuestion,
  { answer }: Pick<Answering<A>, 'answer'>,
  heard: (candidate: number, reply: A) => void = () => undefined,
): Promise<readonly A[]> {
  const { candidates: wanted, distinct } = question.part
  const replies: A[] = []
  const more = async (count: number): Promise<void> => {
    const first = replies.length
    const numbers = Array.from({ length: count }, (_, i) => first + i + 1)
    const asked = await Promise.all(numbers.map((number) => answer(question, number)))
    asked.forEach((reply, i) => {
      replies.push(reply)
      heard(first + i + 1, reply)
    })
  }
  await more(wanted)
  for (let rest = distinct ? wanted : 0; rest > 0; rest--) {
    const texts = new DistinctTexts()
    for (const reply of replies) if (isUsable(reply)) texts.add(reply.text ?? '')
    if (texts.size >= wanted) break
    await more(1)
  }
  return replies
}

/** The candidate with the highest score; of several the first. */
async function best<A extends PartAnswer>(
  judge: NonNullable<PartQuestion['judge']>,
  valid: readonly { readonly candidate: number; readonly reply: A }[],
  { answer }: Pick<Answering<A>, 'answer'>,
): Promise<{ readonly candidate: number; readonly reply: A } | { readonly problems: readonly Problem[] }> {
  const scored = await Promise.all(
    valid.map(async (item) => {
      const question = judge(valueOf(item.reply))
      if (question.problems.length > 0) return { ...item, score: undefined, problems: question.problems }
      const reply = await answer(question, 1)
      const score = isUsable(reply) ? own(valueOf(reply), question.score) : undefined
      return { ...item, score: typeof score === 'number' ? score : undefined, problems: reply.problems }
    }),
  )
  let winner: (typeof scored)[number] | undefined
  for (const item of scored) if (item.score !== undefined && item.score > (winner?.score ?? -Infinity)) winner = item
  if (winner) return { candidate: winner.candidate, reply: winner.reply }
  return { problems: scored[0]?.problems ?? [] }
}

function isUsable({ text, problems }: PartAnswer): boolean {
  return text !== undefined && problems.length === 0
}

/** An answer as other parts see it. */
export function valueOf({ form, reply }: PartAnswer): unknown {
  return answerOf(form, reply?.value)
}

/** Problems of a part, as problems of its record. */
export function partFailed(key: string, problems: readonly Problem[]): Problem {
  return problem('part-failed', { part: key, why: problems.map(({ message }) => message).join('; ') || 'no reply' })
}

/** Events of several tasks, in the order in which they happen. It ends when no task is under way. */
class EventQueue<E> {
  private readonly waiting: E[] = []
  private readonly tasks = new Set<Promise<void>>()
  private fault: { readonly cause: unknown } | undefined
  private wake: () => void = () => undefined

  push(event: E): void {
    this.waiting.push(event)
    this.wake()
  }

  during(task: Promise<void>): void {
    const ended = task
      .catch((cause: unknown) => {
        this.fault ??= { cause }
      })
      .finally(() => {
        this.tasks.delete(ended)
        this.wake()
      })
    this.tasks.add(ended)
  }

  /** @throws what a task threw, as soon as the events before it have been told. */
  async *all(): AsyncGenerator<E> {
    for (;;) {
      for (let event = this.waiting.shift(); event !== undefined; event = this.waiting.shift()) yield event
      if (this.fault) throw this.fault.cause
      if (this.tasks.size === 0) return
      await new Promise<void>((resolve) => {
        this.wake = resolve
        if (this.waiting.length > 0 || this.fault || this.tasks.size === 0) resolve()
      })
    }
  }
}

/** Lets this many tasks run at the same time. */
class Gate {
  private readonly waiting: (() => void)[] = []
  private free: number

  constructor(most: number) {
    this.free = Math.max(1, most)
  }

  async run<T>(task: () => Promise<T>): Promise<T> {
    if (this.free > 0) this.free--
    else await new Promise<void>((resolve) => this.waiting.push(resolve))
    try {
      return await task()
    } finally {
      const next = this.waiting.shift()
      if (next) next()
      else this.free++
    }
  }
}
