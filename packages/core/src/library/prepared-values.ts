import type { Form } from '../outputs/form.js'
import { chooseBy } from '../render/choose.js'
import { byteList, plainTurn, type ByteTurn, type Rendered, type Turn } from '../render/render.js'
import type { Choose } from '../render/run.js'
import type { Declared } from '../values/types.js'
import type { Rendering, RenderOptions } from './rendering.js'

/** What prepared values need of their prompt. */
export interface Runner {
  readonly variables: readonly Declared[]
  finish(accepted: readonly unknown[], options: RenderOptions, choose: Choose): Rendering
  run(accepted: readonly unknown[], options: RenderOptions, choose: Choose, traced: boolean): Rendered
  bytes(accepted: readonly unknown[], options: RenderOptions, choose: Choose): readonly ByteTurn[]
  form(accepted: readonly unknown[], options: RenderOptions, choose: Choose): Form | undefined
}

/** Values that have been checked against a prompt's declarations. */
export class PreparedValues {
  readonly #runner: Runner
  readonly #accepted: readonly unknown[]

  constructor(runner: Runner, accepted: readonly unknown[]) {
    this.#runner = runner
    this.#accepted = accepted
  }

  /** The values by their names, in the form that rendering works with. */
  get values(): Readonly<Record<string, unknown>> {
    return Object.fromEntries(this.#runner.variables.map((d, i) => [d.name, this.#accepted[i]]))
  }

  render(options: RenderOptions = {}): Rendering {
    return this.#runner.finish(this.#accepted, options, chooserFor(options))
  }

  turns(options: RenderOptions = {}): readonly Turn[] {
    return this.#runner.run(this.#accepted, options, chooserFor(options), false).turns.map(plainTurn)
  }

  /**
   * The turns as a JSON list in UTF-8, one character for each byte: for tables of many rows. It is several times quicker than turning them into
   * JSON afterwards, and is written as it is, `file.write(bytes, 'latin1')`.
   */
  bytes(options: RenderOptions = {}): string {
    return byteList(this.byteTurns(options))
  }

  /** The turns in UTF-8, for lines of another form. */
  byteTurns(options: RenderOptions = {}): readonly ByteTurn[] {
    return this.#runner.bytes(this.#accepted, options, chooserFor(options))
  }

  /** The form in which the answer is asked for; undefined where the prompt has no output. */
  form(options: RenderOptions = {}): Form | undefined {
    return this.#runner.form(this.#accepted, options, chooserFor(options))
  }
}

export function chooserFor(options: RenderOptions): Choose {
  return chooseBy(options.seed ?? 0, options.record ?? '')
}
