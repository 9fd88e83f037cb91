import { askPrepared, type AskSettings, type AskTools, type PromptAnswer } from './ask-prompt.js'
import { Conversation, type ConversationOptions } from './conversation.js'
import { hashBytes } from './fingerprint.js'
import { chooserFor, PreparedValues, type Runner } from './prepared-values.js'
import { PromptRows } from './prompt-rows.js'
import { LazyTurn, type CheckedReply, type Rendering, type RenderOptions } from './rendering.js'
import { allTurns, type JoinedPrompt, type LibraryModel } from '../artefacts/artefacts.js'
import { TOKEN_ENCODINGS, type TokenEncoding } from '../artefacts/settings.js'
import type { PreparedSet } from '../compile/example-set.js'
import type { AuditSink } from '../asking/audit.js'
import type { PickedCase } from '../examples/picker.js'
import type { AnswerColumn } from '../outputs/columns.js'
import type { Form, ReadOptions, Reply } from '../outputs/form.js'
import { similarItems } from '../outputs/similar-items.js'
import { doubtsIn, givenTexts } from '../outputs/truth/index.js'
import { problem, ProblemError, type Problem } from '../problems/problem.js'
import { seededRandom, Wordings } from '../render/choose.js'
import { originsOf } from '../render/origins.js'
import type { Plan } from '../render/plan.js'
import {
  byteList,
  bytesOf,
  formOf,
  renderBytes,
  renderPlan,
  type Rendered,
  type RenderedTurn,
  type RunSetting,
  type Turn,
} from '../render/render.js'
import type { Choose, SetPick } from '../render/run.js'
import { Trace } from '../render/trace.js'
import { restorePlaceholders } from '../values/personal/placeholders.js'
import { acceptAll } from '../values/accept.js'
import { localeOf, type Locale } from '../values/locale.js'
import { RowReader, type RowShape } from '../values/row.js'
import type { Declared } from '../values/types.js'

/** The one setting that is not for the model. */
const ENCODING = 'token-encoding'

const MOST_WORDINGS = 1000

/** Untyped values: they are checked at rendering. */
export type AnyValues = Readonly<Record<string, unknown>>

/** How a prompt is rendered, for another way to do it. */
export interface PromptPlan {
  readonly plan: Plan
  readonly settingFor: (options: RenderOptions) => RunSetting
}

/** Gives what no program needs of a prompt. */
export let planOf: (prompt: Prompt) => PromptPlan

/** A prompt of a library, ready to be rendered. `V`: the values that it takes; `R`: what its replies are read as. */
export class Prompt<V extends object = AnyValues, R = unknown> {
  readonly #model: JoinedPrompt
  readonly #plan: Plan
  readonly #library: LibraryModel
  readonly #sets: ReadonlyMap<string, PreparedSet>
  readonly #identify: () => string
  readonly #tools: AskTools
  readonly #runner: Runner
  #fingerprint: string | undefined

  constructor(
    model: JoinedPrompt,
    plan: Plan,
    library: LibraryModel,
    sets: ReadonlyMap<string, PreparedSet>,
    identify: () => string,
    tools: AskTools,
  ) {
    this.#tools = tools
    this.#model = model
    this.#plan = plan
    this.#library = library
    this.#sets = sets
    this.#identify = identify
    this.#runner = {
      variables: plan.variables,
      finish: (accepted, options, choose) => this.finish(accepted, options, choose),
      run: (accepted, options, choose, traced) => this.run(accepted, options, choose, traced),
      form: (accepted, options, choose) => this.formFor(accepted, options, choose),
      bytes: (accepted, options, choose) => renderBytes(plan, accepted, this.setting(options, choose, false)),
    }
  }

  static {
    planOf = (prompt) => ({
      plan: prompt.#plan,
      settingFor: (options) => prompt.setting(options, chooserFor(options), false),
    })
  }

  get name(): string {
    return this.#model.name
  }

  get title(): string {
    return this.#model.title
  }

  get about(): string | undefined {
    return this.#model.about
  }

  /** The library's locale: numbers of tables are read by it, unless another is named. */
  get locale(): string | undefined {
    return this.#library.locale
  }

  /** The names of the outputs that its renderings can have. */
  get outputs(): readonly string[] {
    return [...this.#plan.forms.keys()]
  }

  /** The columns that its answers fill, the same for every record. */
  get answerColumns(): readonly AnswerColumn[] {
    return this.#plan.answerColumns
  }

  /** SHA-256 over the prompt with all that it draws on: see `Library.fingerprint`. */
  get fingerprint(): string {
    return (this.#fingerprint ??= this.#identify())
  }

  /** The declared inputs that a rendering takes; bound ones are not among them. */
  get variables(): readonly Declared[] {
    return this.#plan.variables
  }

  /** The settings for the model, passed on unchanged: the library's, overridden by the prompt's. */
  get settings(): Readonly<Record<string, unknown>> {
    const { [ENCODING]: _, ...settings } = { ...this.#library.settings, ...this.#model.settings }
    return settings
  }

  /** The encoding in which its tokens are counted. */
  get tokenEncoding(): TokenEncoding {
    const stated = this.#model.settings[ENCODING] ?? this.#library.settings[ENCODING]
    return TOKEN_ENCODINGS.find((text) => text === stated) ?? TOKEN_ENCODINGS[0]
  }

  /**
   * Values in, turns out.
   *
   * @throws ProblemError with all that is wrong with the values, or with what came of them.
   */
  render(values: V, options: RenderOptions = {}): Rendering<R> {
    const accepted = this.accept(values)
    const rendering = this.finish(accepted, options, chooserFor(options))
    const sink = this.#tools.audit()
    if (sink) this.tell(sink, accepted, rendering)
    return rendering
  }

  /**
   * The turns alone, as fast as possible: for loops over many records.
   *
   * @throws ProblemError like `render`.
   */
  turns(values: V, options: RenderOptions = {}): readonly Turn[] {
    return this.prepare(values).turns(options)
  }

  /**
   * Checks values once, to be rendered several times: with other seeds, with and without origins, as JSON.
   *
   * @throws ProblemError with all that is wrong with the values.
   */
  prepare(values: V): PreparedValues {
    return this.prepared(this.accept(values))
  }

  /** Reads rows of a table as values of this prompt. */
  reader(headings: readonly string[], shape: RowShape = {}): PromptRows {
    return new PromptRows(new RowReader(this.variables, headings, shape), (accepted) => this.prepared(accepted))
  }

  private prepared(accepted: readonly unknown[]): PreparedValues {
    return new PreparedValues(this.#runner, accepted)
  }

  /** One rendering for each combination of the wordings of `vary`, named by a number from 1 for each `vary`, in order. */
  renderAll(values: V, options: RenderOptions = {}): { readonly wording: string; readonly rendering: Rendering<R> }[] {
    const accepted = this.accept(values)
    const wordings = new Wordings()
    const all: { wording: string; rendering: Rendering<R> }[] = []
    do {
      if (all.length === MOST_WORDINGS) throw new ProblemError([problem('wordings-over-limit', { limit: MOST_WORDINGS })])
      const rendering = this.finish(accepted, { ...options, origins: true }, wordings.choose)
      all.push({ wording: wordings.label, rendering })
    } while (wordings.next())
    return all
  }

  /** Renders record after record, lazily; `record` of the options is each one's id where `id` gives it. */
  *renderEach(records: Iterable<V>, options: RenderOptions = {}, id?: (record: V, index: number) => string): Generator<Rendering<R>> {
    let index = 0
    for (const record of records) {
      yield this.render(record, id ? { ...options, record: id(record, index) } : options)
      index++
    }
  }

  /**
   * The form of the prompt's answers, if it is the same for every record. A prompt with several outputs needs the name of one.
   *
   * @throws ProblemError where the prompt has no such output, TypeError where the form depends on the record: then `rendering.form` has it.
   */
  form(output?: string): Form<R> | undefined {
    const compiled = this.formNamed(output)
    if (!compiled) return undefined
    const { fixed, outline } = compiled
    if (!fixed) throw new TypeError(`the output "${outline.name}" depends on the record: read by the rendering, render(values).read(reply)`)
    return fixed as Form<R>
  }

  /** The form without the parts that depend on a record: its `schema` and `call` apply to every record. */
  outline(output?: string): Form<R> | undefined {
    return this.formNamed(output)?.outline as Form<R> | undefined
  }

  private formNamed(output: string | undefined) {
    const names = output === undefined ? this.outputs : [output]
    if (names.length > 1) throw new TypeError(`"${this.name}" has several outputs: ${names.join(', ')}; name one`)
    const [name] = names
    if (name === undefined) return undefined
    const compiled = this.#plan.forms.get(name)
    if (!compiled) throw new ProblemError([problem('output-unknown', { name, known: this.outputs })])
    return compiled
  }

  /** A reply read by the prompt's output: a label, data, or without an output the text itself. */
  read(reply: string, options: ReadOptions & { readonly output?: string } = {}): Reply<R> {
    const form = this.form(options.output)
    return form ? form.read(reply, options) : plainReply<R>(reply)
  }

  /**
   * Renders values, asks a model, and reads its reply. A reply that cannot be used is asked for again.
   *
   * @param values - The values of one record.
   * @param options - The model, and how it is asked.
   * @returns The answer, with what is wrong with it in `problems`.
   * @throws ProblemError if the values do not match the prompt, and what the model throws.
   */
  ask(values: V, options: AskSettings): Promise<PromptAnswer<R>> {
    return this.askPrepared(this.prepare(values), options)
  }

  /** The same for prepared values; `more` are turns after those of the prompt. */
  askPrepared(prepared: PreparedValues, options: AskSettings & { readonly more?: readonly Turn[] }): Promise<PromptAnswer<R>> {
    return askPrepared<R>(this as unknown as Prompt, prepared, this.#tools, options)
  }

  /**
   * Begins a conversation, or continues a stored one. The prompt places the earlier turns with `history:`.
   *
   * @param options - The model, the values that stay the same, and how much of the history is sent.
   * @throws ProblemError if the prompt places no history.
   */
  conversation(options: ConversationOptions<V>): Conversation<V, R> {
    const placed = [...allTurns(this.#model.turns)].find((turn) => turn.kind === 'history')
    if (!placed) throw new ProblemError([problem('history-missing', { prompt: this.name })])
    const { countTokens } = this.#tools
    return new Conversation(this, placed.from.name, { ...(countTokens && { countTokens }), ...options })
  }

  private tell(sink: AuditSink, accepted: readonly unknown[], { fingerprint, turns }: Rendering): void {
    const nothing = { reply: undefined, requests: 0, usage: undefined, isMock: false, notes: [], problems: [] }
    const { values } = this.prepared(accepted)
    const heard = sink({ operation: 'render', prompt: this.name, values, fingerprint, turns, ...nothing })
    // Nothing waits for it: the sink itself has to keep its faults.
    if (heard) heard.catch(() => undefined)
  }

  private accept(values: V): unknown[] {
    const problems: Problem[] = []
    const accepted = acceptAll(values as AnyValues, this.#plan.variables, this.#plan.bound, (p) => problems.push(p))
    if (problems.length > 0) throw new ProblemError(problems)
    return accepted
  }

  private finish(accepted: readonly unknown[], options: RenderOptions, choose: Choose): Rendering<R> {
    let asked: { readonly form: Form<R> | undefined } | undefined
    const formOf = () => (asked ??= { form: this.formFor(accepted, options, choose) }).form
    const checked = (reply: string, read: Reply<R>): CheckedReply<R> => {
      const language = (options.locale ?? this.#library.locale)?.split('-')[0]
      const examples = () => this.exampleTexts(picks)
      const sources = () => this.givenTexts(accepted, turns, examples())
      const unsupported = doubtsIn({ sources, examples, language, reply, value: read.partial })
      return { ...read, unsupported, similar: similarItems(read.partial) }
    }
    const rendered = this.run(accepted, options, choose, options.origins ?? false)
    let traced: Rendered | undefined
    const traceOf = (turn: RenderedTurn, i: number): Trace => {
      if (turn.trace) return turn.trace
      traced ??= this.run(accepted, options, choose, true)
      return traced.turns[i]?.trace ?? new Trace()
    }
    const { turns, warnings, picks } = rendered
    const masked = Object.fromEntries(rendered.masked)
    const rendering: Omit<Rendering<R>, 'masked' | 'form'> = {
      picks: picks.map(({ cases, same, ...pick }) => ({
        ...pick,
        cases: cases.map(countedFromOne),
        same: same.map((number) => number + 1),
      })),
      turns: turns.map((turn, i) => new LazyTurn(turn, () => originsOf(traceOf(turn, i)))),
      problems: warnings,
      get fingerprint() {
        return hashBytes(byteList(bytesOf(turns)))
      },
      read: (reply, options) => {
        const form = formOf()
        const restored = restorePlaceholders(reply, masked)
        return checked(restored, form ? form.read(restored, options) : plainReply<R>(restored))
      },
    }
    // Not enumerable: a rendering that is logged as JSON shows neither what was masked nor the definition of its form.
    return Object.defineProperties(rendering, { masked: { value: masked }, form: { get: formOf } }) as Rendering<R>
  }

  private formFor(accepted: readonly unknown[], options: RenderOptions, choose: Choose): Form<R> | undefined {
    return formOf(this.#plan, accepted, this.setting(options, choose, false)) as Form<R> | undefined
  }

  /** The texts of the examples that were written, and of their records. */
  private exampleTexts(picks: readonly SetPick[]): readonly string[] {
    return picks.flatMap(({ set, cases }) => {
      const prepared = this.#sets.get(set)
      return cases.flatMap((pickedCase) => [
        prepared?.inputs[pickedCase.case] ?? '',
        prepared?.expected[pickedCase.case] ?? '',
        ...givenTexts(prepared?.rows[pickedCase.case]),
      ])
    })
  }

  /** The inputs of a reply: the turns without their examples, and all values of the record. */
  private givenTexts(accepted: readonly unknown[], turns: readonly RenderedTurn[], examples: readonly string[]): readonly string[] {
    const written = examples.filter((text) => text.length > 12)
    const bare = turns.map(({ text }) => written.reduce((rest, example) => rest.replace(example, () => ' '), text))
    const parts = turns.flatMap(({ parts: all }) => (all ?? []).flatMap((part) => (part.kind === 'text' ? [part.text] : [])))
    return [...bare, ...parts, ...givenTexts(accepted)]
  }

  private run(accepted: readonly unknown[], options: RenderOptions, choose: Choose, traced: boolean): Rendered {
    return renderPlan(this.#plan, accepted, this.setting(options, choose, traced))
  }

  private setting(options: RenderOptions, choose: Choose, traced: boolean): RunSetting {
    const random = (name: string) => seededRandom(options.seed ?? 0, options.record ?? '', name)
    return { locale: this.localeFor(options.locale), limits: this.#library.limits, choose, random, traced }
  }

  private localeFor(named: string | undefined): Locale {
    const name = named ?? this.#library.locale
    const locale = localeOf(name)
    if (locale) return locale
    throw new ProblemError([problem('locale-unknown', { name: name ?? '' })])
  }
}

/** Without an output the text is the value. */
function plainReply<R>(reply: string): Reply<R> {
  return { value: reply as R, partial: reply, problems: [], repairs: [] }
}

function countedFromOne(pickedCase: PickedCase): PickedCase {
  return { ...pickedCase, case: pickedCase.case + 1 }
}
