import type { Form, ReadOptions, Reply } from '../outputs/form.js'
import type { Problem } from '../problems/problem.js'
import type { Origin } from '../render/origins.js'
import type { Part } from '../render/parts.js'
import type { RenderedTurn, Turn } from '../render/render.js'
import type { SetPick } from '../render/run.js'

/** How one record is rendered. */
export interface RenderOptions {
  /** Chooses between the wordings of `vary`. Default: 0. */
  readonly seed?: number
  /** The record's id: records of one seed get different wordings. */
  readonly record?: string
  /** A language tag; it takes the place of the library's, and the prompt's own takes the place of it. */
  readonly locale?: string
  /** Computes all origins at once; otherwise they are computed when they are first read. */
  readonly origins?: boolean
}

/** A turn with the origins of its text. */
export interface FinishedTurn extends Turn {
  readonly origins: readonly Origin[]
}

/** A reply to one rendering, compared with its inputs. */
export interface CheckedReply<R = unknown> extends Reply<R> {
  /** Unsupported claims: figures, dates and names that are neither in the prompt nor in its record, and sentences copied from an example. */
  readonly unsupported: readonly Problem[]
  /** Rows of the reply, and items of its lists, that are nearly the same as one before them. */
  readonly similar: readonly Problem[]
}

/** A rendered prompt: its turns, and all that is known of them. */
export interface Rendering<R = unknown> {
  readonly turns: readonly FinishedTurn[]
  /** Warnings: nothing that kept the prompt from being rendered. */
  readonly problems: readonly Problem[]
  /** What `masked` replaced, by placeholder. Not enumerable: it is in no JSON of the rendering. */
  readonly masked: Readonly<Record<string, string>>
  /** Which cases of which example sets it has, counted from 1 in the order of the set, and why. */
  readonly picks: readonly SetPick[]
  /** SHA-256 over the turns as a JSON list: equal if the same model would receive the same. Computed when it is first read. */
  readonly fingerprint: string
  /** The form in which the answer was asked for; undefined where the prompt has no output. */
  readonly form: Form<R> | undefined
  /** Reads a reply to this rendering, with what was masked in the place of its placeholders; without an output its text is the value. */
  read(reply: string, options?: ReadOptions): CheckedReply<R>
}

/** A turn as plain data; its origins are a question that most callers never ask, and stay out of `JSON.stringify`. */
export class LazyTurn implements FinishedTurn {
  readonly role: Turn['role']
  readonly text: string
  declare readonly name?: string
  declare readonly parts?: readonly Part[]
  readonly #origins: () => readonly Origin[]
  #traced: readonly Origin[] | undefined

  constructor(turn: RenderedTurn, origins: () => readonly Origin[]) {
    this.role = turn.role
    this.text = turn.text
    if (turn.name !== undefined) this.name = turn.name
    if (turn.parts) this.parts = turn.parts
    this.#origins = origins
  }

  get origins(): readonly Origin[] {
    return (this.#traced ??= this.#origins())
  }
}
