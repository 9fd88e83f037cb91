import type { JoinedPrompt, LibraryModel } from '../artefacts/artefacts.js'
import type { Plan } from '../render/plan.js'
import { problem, ProblemError, type Problem } from '../problems/problem.js'
import { chooseBy, Wordings } from '../render/choose.js'
import { originsOf, type Origin } from '../render/origins.js'
import { renderPlan, type Rendered, type RenderedTurn, type Turn } from '../render/render.js'
import type { Choose } from '../render/run.js'
import { acceptAll } from '../values/accept.js'
import { localeOf, type Locale } from '../values/locale.js'
import type { Declared } from '../values/types.js'

export interface RenderOptions {
  /** Decides between the wordings of `vary`; 0 where nothing is said. */
  readonly seed?: number
  /** The record's id: records of one seed get different wordings. */
  readonly record?: string
  /** A language tag; it takes the place of the library's, and the prompt's own takes the place of it. */
  readonly locale?: string
  /** Works out all origins at once; otherwise they are worked out when they are first looked at. */
  readonly origins?: boolean
}

/** A turn with the origins of its text. */
export interface FinishedTurn extends Turn {
  readonly origins: readonly Origin[]
}

export interface Rendering {
  readonly turns: readonly FinishedTurn[]
  /** Warnings: nothing that kept the prompt from being rendered. */
  readonly problems: readonly Problem[]
  /** What `masked` replaced, never written into a turn. */
  readonly masked: Readonly<Record<string, string>>
}

/** Values that have been checked against a prompt's declarations. */
export interface PreparedValues {
  turns(options?: RenderOptions): readonly Turn[]
}

const MOST_WORDINGS = 1000

/** A prompt of a library, ready to be rendered. */
export class Prompt {
  constructor(
    private readonly model: JoinedPrompt,
    private readonly plan: Plan,
    private readonly library: LibraryModel,
  ) {}

  get name(): string {
    return this.model.name
  }

  get title(): string {
    return this.model.title
  }

  get about(): string | undefined {
    return this.model.about
  }

  /** The declared inputs that a rendering takes; bound ones are not among them. */
  get variables(): readonly Declared[] {
    return this.plan.variables
  }

  /** The settings for the model, handed on as they are: the library's, and over them the prompt's. */
  get settings(): Readonly<Record<string, unknown>> {
    return { ...this.library.settings, ...this.model.settings }
  }

  /**
   * Values in, turns out.
   *
   * @throws ProblemError with all that is wrong with the values, or with what came of them.
   */
  render(values: Readonly<Record<string, unknown>>, options: RenderOptions = {}): Rendering {
    const accepted = this.accept(values)
    return this.finish(accepted, options, chooseBy(options.seed ?? 0, options.record ?? ''))
  }

  /**
   * The turns alone, as fast as can be: for loops over many records.
   *
   * @throws ProblemError like `render`.
   */
  turns(values: Readonly<Record<string, unknown>>, options: RenderOptions = {}): readonly Turn[] {
    return this.prepare(values).turns(options)
  }

  /**
   * Checks values once, to be rendered several times: with other seeds, with and without origins.
   *
   * @throws ProblemError with all that is wrong with the values.
   */
  prepare(values: Readonly<Record<string, unknown>>): PreparedValues {
    const accepted = this.accept(values)
    return {
      turns: (options = {}) =>
        this.run(accepted, options, chooseBy(options.seed ?? 0, options.record ?? ''), options.origins ?? false).turns,
    }
  }

  /** One rendering for each combination of the wordings of `vary`, named by a number from 1 for each `vary`, in order. */
  renderAll(
    values: Readonly<Record<string, unknown>>,
    options: RenderOptions = {},
  ): { readonly wording: string; readonly rendering: Rendering }[] {
    const accepted = this.accept(values)
    const wordings = new Wordings()
    const all: { wording: string; rendering: Rendering }[] = []
    do {
      if (all.length === MOST_WORDINGS) throw new ProblemError([problem('wordings-over-limit', { limit: MOST_WORDINGS })])
      const rendering = this.finish(accepted, { ...options, origins: true }, wordings.choose)
      all.push({ wording: wordings.label, rendering })
    } while (wordings.next())
    return all
  }

  /** Renders record after record, lazily; `record` of the options is each one's id where `id` gives it. */
  *renderEach(
    records: Iterable<Readonly<Record<string, unknown>>>,
    options: RenderOptions = {},
    id?: (record: Readonly<Record<string, unknown>>, index: number) => string,
  ): Generator<Rendering> {
    let index = 0
    for (const record of records) {
      yield this.render(record, id ? { ...options, record: id(record, index) } : options)
      index++
    }
  }

  private accept(values: Readonly<Record<string, unknown>>): unknown[] {
    const problems: Problem[] = []
    const accepted = acceptAll(values, this.plan.variables, this.plan.bound, (p) => problems.push(p))
    if (problems.length > 0) throw new ProblemError(problems)
    return accepted
  }

  private finish(accepted: readonly unknown[], options: RenderOptions, choose: Choose): Rendering {
    const rendered = this.run(accepted, options, choose, options.origins ?? false)
    let traced: Rendered | undefined
    const piecesOf = (turn: RenderedTurn, i: number) => {
      if (turn.pieces) return turn.pieces
      traced ??= this.run(accepted, options, choose, true)
      return traced.turns[i]!.pieces ?? []
    }
    return {
      turns: rendered.turns.map((turn, i) => new LazyTurn(turn, () => originsOf(piecesOf(turn, i)))),
      problems: rendered.warnings,
      masked: Object.fromEntries(rendered.masked),
    }
  }

  private run(accepted: readonly unknown[], options: RenderOptions, choose: Choose, traced: boolean): Rendered {
    return renderPlan(this.plan, accepted, { locale: this.localeFor(options.locale), limits: this.library.limits, choose, traced })
  }

  private localeFor(named: string | undefined): Locale {
    const name = named ?? this.library.locale
    const locale = localeOf(name)
    if (locale) return locale
    throw new ProblemError([problem('locale-unknown', { name: name ?? '' })])
  }
}

/** A turn as plain data; its origins are a question that most callers never ask, and stay out of `JSON.stringify`. */
class LazyTurn implements FinishedTurn {
  readonly role: Turn['role']
  readonly text: string
  declare readonly name?: string
  readonly #origins: () => readonly Origin[]
  #found: readonly Origin[] | undefined

  constructor(turn: RenderedTurn, origins: () => readonly Origin[]) {
    this.role = turn.role
    this.text = turn.text
    if (turn.name !== undefined) this.name = turn.name
    this.#origins = origins
  }

  get origins(): readonly Origin[] {
    return (this.#found ??= this.#origins())
  }
}
