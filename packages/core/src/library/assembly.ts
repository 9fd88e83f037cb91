import { answerParts, type AskAssemblyOptions, type AssemblyEvent, type PartAnswer } from './ask-assembly.js'
import { withPlainValues, type OriginText } from './markdown.js'
import type { AnyValues, Prompt } from './prompt.js'
import type { AssemblyModel, PartModel } from '../artefacts/artefacts.js'
import { DOCUMENT, type AssemblyPlan, type PartPlan, type PlannedCall } from '../compile/assembly.js'
import { runLoop } from '../compile/loop.js'
import type { AnswerColumn } from '../outputs/columns.js'
import { ProblemError, type Problem } from '../problems/problem.js'
import { emptyRun } from '../render/choose.js'
import type { Run } from '../render/run.js'
import { isRecord, own } from '../values/data.js'
import type { Locale } from '../values/locale.js'
import type { Declared } from '../values/types.js'
import type { PreparedValues } from './prepared-values.js'
import type { RenderOptions } from './rendering.js'

/** Answers by their keys: `heading` for a part, `condition.2` for the second item of a part that is asked for every item. */
export type Answers = ReadonlyMap<string, unknown>

/** One question of an assembly, with the values of its prompt. */
export interface PartQuestion {
  /** `heading`, or `condition.2` for the second item. */
  readonly key: string
  readonly part: PartModel
  readonly prompt: Prompt
  /** Undefined where there are problems. */
  readonly prepared: PreparedValues | undefined
  /** Why the values do not match the prompt. */
  readonly problems: readonly Problem[]
  /** The question that scores an answer to this one, if a prompt does that; the score is a field of its answer. */
  readonly judge: ((answer: unknown) => PartQuestion & { readonly score: string }) | undefined
}

/** What can be asked with the answers that there are. */
export interface AssemblyQuestions {
  /** In an order in which each comes after those that it needs; those that are answered too. */
  readonly questions: readonly PartQuestion[]
  /** Whether every question is known and answered. */
  readonly isComplete: boolean
  /** The answers by part, as other parts and the document see them. */
  readonly parts: Readonly<Record<string, unknown>>
}

/** What an assembly is made of. */
export interface AssemblyMaterial {
  readonly model: AssemblyModel
  readonly plan: AssemblyPlan
  /** Takes the values of the assembly; it has no turns. */
  readonly input: Prompt
  /** Renders the document; undefined if the last answer is the result. */
  readonly document: Prompt | undefined
  readonly promptNamed: (name: string) => Prompt
  readonly locale: Locale | undefined
  readonly identify: () => string
}

/**
 * An assembly of a library: several prompts whose answers become one document. It says what to ask next, and writes the document. `V` are
 * its values, `P` the answers of its parts.
 *
 * @example
 * const library = await openLibrary('demo/marram-house')
 * library.assembly('room-guide').partNames.length > 0 // => true
 */
export class Assembly<V extends object = AnyValues, P extends object = Readonly<Record<string, unknown>>> {
  readonly #material: AssemblyMaterial

  constructor(material: AssemblyMaterial) {
    this.#material = material
  }

  get name(): string {
    return this.#material.model.name
  }

  get title(): string {
    return this.#material.model.title
  }

  get about(): string | undefined {
    return this.#material.model.about
  }

  /** What its values are checked by: a prompt without turns. */
  get input(): Prompt {
    return this.#material.input
  }

  get variables(): readonly Declared[] {
    return this.#material.model.variables
  }

  /** The parts in an order in which each comes after those that it uses. */
  get parts(): readonly PartPlan[] {
    return this.#material.plan.parts
  }

  get partNames(): readonly string[] {
    return this.#material.model.parts.map(({ name }) => name)
  }

  /** SHA-256 over the assembly with its prompts and all that they draw on. */
  get fingerprint(): string {
    return this.#material.identify()
  }

  /** Whether a person has to choose an answer of some part. */
  get needsPerson(): boolean {
    return this.parts.some(({ model }) => model.choose === 'person')
  }

  /** The columns that a record's result fills: the document, and the answer of each part. */
  get answerColumns(): readonly AnswerColumn[] {
    const ofPart = ({ declared: { name, type } }: PartPlan): AnswerColumn => {
      const nested = type.kind === 'list' ? ('list' as const) : type.kind === 'record' ? ('record' as const) : undefined
      const item = type.kind === 'list' ? type.item : type
      const fields = item.kind === 'record' ? item.fields?.map((field) => field.name) : undefined
      return { name, labels: undefined, ...(nested && { nested }), ...(fields && { fields }) }
    }
    return [{ name: DOCUMENT, labels: undefined }, ...this.inOrder(this.parts).map(ofPart)]
  }

  /** The parts that have to be asked again if the answer of one changes: itself left out. */
  reachedBy(name: string): readonly string[] {
    const reached = new Set([name])
    for (const part of this.parts) if (part.needs.some((other) => reached.has(other))) reached.add(part.model.name)
    reached.delete(name)
    return [...reached]
  }

  /**
   * What to ask, with the answers that there are.
   *
   * @param values - Values that `input` has accepted.
   */
  questions(values: AnyValues, answers: Answers): AssemblyQuestions {
    const { model, plan } = this.#material
    const state: unknown[] = [...model.variables.map(({ name }) => own(values, name) ?? null), ...model.parts.map(() => null)]
    const complete = new Set<string>()
    const questions: PartQuestion[] = []
    for (const part of plan.parts) {
      if (!part.needs.every((name) => complete.has(name))) continue
      const items = this.itemsOf(part, state)
      const outcomes = items.map((item) => this.outcomeOf(part, item, state, answers))
      questions.push(...outcomes.flatMap(({ question }) => question ?? []))
      if (outcomes.some(({ isOpen }) => isOpen)) continue
      complete.add(part.model.name)
      const results = outcomes.map(({ value }) => value)
      const { each } = part
      state[this.slotOf(part)] = each ? results.map((answer, i) => ({ [each.item]: items[i]?.value, answer })) : results[0]
    }
    const parts = Object.fromEntries(plan.parts.map((part) => [part.model.name, state[this.slotOf(part)] ?? null]))
    return { questions, isComplete: complete.size === plan.parts.length, parts }
  }

  /**
   * The finished document with the origins of its text. Values and inserted answers are text in it; an answer is Markdown where it has lines of
   * its own.
   */
  document(values: AnyValues, parts: Readonly<Record<string, unknown>>, options: RenderOptions = {}): OriginText {
    const { document } = this.#material
    if (!document) return { text: this.lastAnswer(parts), origins: [] }
    try {
      const [turn] = document.render({ ...values, ...parts }, { ...options, origins: true }).turns
      return turn ? withPlainValues({ text: turn.text, origins: turn.origins }, (path) => this.isAnswer(path)) : NOTHING
    } catch (fault) {
      if (fault instanceof ProblemError && fault.problems.every(({ code }) => code === 'no-turn-left')) return NOTHING
      throw fault
    }
  }

  /** Whether a path in the document leads to an answer of a model, and not to a value or an item. */
  isAnswer(path: string): boolean {
    const [name = '', ...steps] = path.split('.')
    const part = this.parts.find(({ model }) => model.name === name)
    return part !== undefined && (!part.each || steps[1] === 'answer')
  }

  /** A record's result by its columns. */
  columns(parts: Readonly<Record<string, unknown>>, document: string): Readonly<Record<string, unknown>> {
    return { [DOCUMENT]: document, ...Object.fromEntries(this.partNames.map((name) => [name, parts[name] ?? null])) }
  }

  /**
   * Asks a model for all parts, several at a time, and tells what happens. What one part needs of another is asked after it.
   *
   * @param values - The values of one record.
   * @param options - The model; and `settled` for answers that are there already.
   * @throws ProblemError if the values do not match, and what the model throws.
   */
  ask(values: V, options: AskAssemblyOptions): AsyncGenerator<AssemblyEvent<PartAnswer, P>> {
    const events = answerParts(this as unknown as Assembly, this.input.prepare(values as AnyValues).values, options)
    return events as unknown as AsyncGenerator<AssemblyEvent<PartAnswer, P>>
  }

  private slotOf(part: PartPlan): number {
    const { model } = this.#material
    return model.variables.length + model.parts.indexOf(part.model)
  }

  private inOrder(parts: readonly PartPlan[]): readonly PartPlan[] {
    return this.partNames.flatMap((name) => parts.find(({ model }) => model.name === name) ?? [])
  }

  private lastAnswer(parts: Readonly<Record<string, unknown>>): string {
    const answer = parts[this.partNames.at(-1) ?? '']
    if (typeof answer === 'string') return answer
    const whole = isRecord(answer) ? own(answer, DOCUMENT) : undefined
    return typeof whole === 'string' ? whole : JSON.stringify(answer ?? null, null, 2)
  }

  /** The items that a part is asked for, with the locals that hold them. */
  private itemsOf({ each }: PartPlan, state: readonly unknown[]): readonly Item[] {
    if (!each) return [{ value: undefined, locals: [] }]
    const run = emptyRun(state, this.#material.locale)
    const items: Item[] = []
    runLoop(each.loop, run, () => items.push({ value: run.locals[each.loop.slot], locals: [...run.locals] }))
    return items
  }

  private outcomeOf(part: PartPlan, item: Item, state: readonly unknown[], answers: Answers): Outcome {
    const key = part.each ? `${part.model.name}.${String(item.locals[part.each.loop.counter])}` : part.model.name
    const runWith = (values: readonly unknown[]): Run => {
      const run = emptyRun(values, this.#material.locale)
      run.locals.push(...item.locals)
      return run
    }
    const run = runWith(state)
    if (part.when && !part.when(run)) return { question: undefined, isOpen: false, value: part.otherwise?.(run) ?? null }
    const { judge } = part
    const question = this.call(key, part.model, part.call, run)
    const slot = this.slotOf(part)
    question.judge = judge && ((answer) => this.judgeCall(key, part.model, judge, () => runWith(state.with(slot, answer))))
    return { question, isOpen: !answers.has(key), value: answers.get(key) ?? null }
  }

  private judgeCall(key: string, part: PartModel, judge: NonNullable<PartPlan['judge']>, runOf: () => Run): JudgeQuestion {
    const values = () => {
      const run = runOf()
      return Object.fromEntries(judge.values.map((value) => [value.name, value.get(run)]))
    }
    return new JudgeQuestion([`${key} score`, part, this.#material.promptNamed(judge.prompt), values], judge.score)
  }

  private call(key: string, part: PartModel, { prompt: name, values }: PlannedCall, run: Run): Question {
    const prompt = this.#material.promptNamed(name)
    return new Question(key, part, prompt, () => Object.fromEntries(values.map((value) => [value.name, value.get(run)])))
  }
}

/** A question whose values are looked at when they are asked for: those of answered questions never are. */
class Question implements PartQuestion {
  judge: PartQuestion['judge']
  #result: Pick<PartQuestion, 'prepared' | 'problems'> | undefined

  constructor(
    readonly key: string,
    readonly part: PartModel,
    readonly prompt: Prompt,
    private readonly values: () => AnyValues,
  ) {}

  get prepared(): PreparedValues | undefined {
    return this.result.prepared
  }

  get problems(): readonly Problem[] {
    return this.result.problems
  }

  private get result(): Pick<PartQuestion, 'prepared' | 'problems'> {
    return (this.#result ??= this.prepare())
  }

  private prepare(): Pick<PartQuestion, 'prepared' | 'problems'> {
    try {
      return { prepared: this.prompt.prepare(this.values()), problems: [] }
    } catch (fault) {
      if (!(fault instanceof ProblemError)) throw fault
      return { prepared: undefined, problems: fault.problems }
    }
  }
}

/** A question that scores an answer, with the field of its own answer that is the score. */
class JudgeQuestion extends Question {
  constructor(
    question: ConstructorParameters<typeof Question>,
    readonly score: string,
  ) {
    super(...question)
  }
}

interface Item {
  readonly value: unknown
  /** The items and positions of the loop, as the run holds them. */
  readonly locals: readonly unknown[]
}

interface Outcome {
  /** Undefined for a part that is skipped. */
  readonly question: PartQuestion | undefined
  readonly isOpen: boolean
  readonly value: unknown
}

const NOTHING: OriginText = { text: '', origins: [] }
