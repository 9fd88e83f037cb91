import { defined } from '../invariant.js'
import { documentKind } from './document/kind.js'
import { fieldsKind } from './fields/fields.js'
import { asking, type OutputKind, type Way } from './kind.js'
import { saysAndSaysNot, sayings } from './must-say.js'
import { oneOfKind } from './one-of/kind.js'
import { Reading } from './reading.js'
import { rowsKind } from './rows/kind.js'
import { SampleRandom } from './sample/random.js'
import { NoSample } from './sample/values.js'
import type { Shape } from './shape.js'
import { checkWhole, wholeInWords } from './whole-rules.js'
import { DEFAULT_LIMITS } from '../artefacts/artefacts.js'
import { innerSchema, type JsonSchema } from '../interop/to-schema.js'
import { problem, ProblemError, type Problem } from '../problems/problem.js'
import { Source } from '../source/source.js'
import { lineEnds } from '../values/data.js'

/** A reply as data, or what keeps it from being it. */
export interface Reply<R = unknown> {
  /** Undefined where there are problems. */
  readonly value: R | undefined
  /** What could be read of a reply that has problems; the value where it has none. */
  readonly partial: unknown
  /** What is wrong with the reply, each with its place in it. */
  readonly problems: readonly Problem[]
  /** The repairs that the reader made. */
  readonly repairs: readonly Problem[]
}

/** How a reply is read. */
export interface ReadOptions {
  /** Refuses a reply that could be read only by repairs. */
  readonly strict?: boolean
  /** Replies longer than this, in characters, are rejected. Default: 4,194,304. */
  readonly limit?: number
}

/** A function that a model may call, its parameters as a JSON Schema. */
export interface CallSchema {
  readonly name: string
  readonly description?: string
  readonly parameters: JsonSchema
}

export interface SampleOptions {
  /** Makes the reply malformed in this way: one of `ways`. */
  readonly as?: string
  /** The values of a record: the sample uses its words and figures. */
  readonly values?: Readonly<Record<string, unknown>>
}

const KINDS: { readonly [F in Shape['form']]: OutputKind<Extract<Shape, { form: F }>> } = {
  fields: fieldsKind,
  'one-of': oneOfKind,
  rows: rowsKind,
  document: documentKind,
}

/**
 * The form of an answer: an output with its slots filled. It asks, describes, reads and invents.
 *
 * @example libraryFrom({ 'outputs/o.yaml': 'kind: one-of\nof: [sound, watch]', 'prompts/p.yaml': 'title: P\noutput: o\nturns: [{ user: Go. }]' }).prompt('p').form().read('Grade: Watch.').value; // => { label: 'watch' }
 */
export class Form<R = unknown> {
  readonly #shape: Shape
  readonly #limit: number
  readonly #kind: OutputKind<Shape>

  constructor(shape: Shape, limit: number = DEFAULT_LIMITS.replyCharacters) {
    this.#shape = shape
    this.#limit = limit
    this.#kind = KINDS[shape.form] as unknown as OutputKind<Shape>
  }

  /** The resolved definition: slots filled, bases joined. */
  get shape(): Shape {
    return this.#shape
  }

  /** The output's name. */
  get name(): string {
    return this.#shape.name
  }

  /** The text that asks for an answer in this form: what `~ use output` writes. Empty where it shows nothing. */
  get instruction(): string {
    const { head, own } = this.asking
    return head + own
  }

  /** The same in two: what asks, and the output's own words behind it, a row or a document as it is. */
  get asking(): { readonly head: string; readonly own: string } {
    if (this.#shape.show === 'none') return { head: '', own: '' }
    const { asks, gap, own } = this.#shape.show === 'json-schema' ? asking(this.schemaInWords()) : this.#kind.instruct(this.#shape)
    const message = [saysAndSaysNot(this.#shape), wholeInWords(this.#shape)].filter((text) => text !== '').join(' ')
    return { head: `${asks}${message === '' ? '' : `\n${message}`}${gap}`, own }
  }

  private schemaInWords(): string {
    const schema = innerSchema(this.schema(), '$id', 'title')
    return `Answer with JSON and nothing else. It fits this JSON Schema:\n${JSON.stringify(schema)}`
  }

  /** The JSON Schema (2020-12) of what a reply is read as. `strict`: everything required, null where it may be missing. */
  schema(options: { readonly strict?: boolean } = {}): JsonSchema {
    return this.#kind.schema(this.#shape, options.strict ?? false)
  }

  /** The same as the parameters of a function. */
  call(options: { readonly strict?: boolean } = {}): CallSchema {
    const parameters = innerSchema(this.schema(options))
    const { about, name } = this.#shape
    return { name: name.replace(/[^A-Za-z0-9_-]/g, '_').slice(0, 64), ...(about !== undefined && { description: about }), parameters }
  }

  /** A reply as data. It never throws because of the reply's content, length or hostility. */
  read(reply: string, options: ReadOptions = {}): Reply<R> {
    const reading = new Reading(new Source('the reply', lineEnds(reply)))
    const limit = options.limit ?? this.#limit
    let value: unknown
    if (reply.length > limit) reading.report(problem('reply-over-limit', { size: reply.length, limit }))
    else if (reply.trim() === '') reading.report(problem('reply-empty', {}))
    else {
      value = this.#kind.read(this.#shape, reading)
      sayings(this.#shape, value, reading)
      checkWhole(this.#shape, value, reading)
    }
    const refused = options.strict ? reading.repaired.map((item) => problem('reply-not-exact', { detail: item.message }, item.span)) : []
    const problems = [...reading.problems, ...refused]
    const partial = reading.partial ?? value
    return { value: problems.length > 0 ? undefined : (value as R), partial, problems, repairs: reading.repaired }
  }

  /** A value by the columns that it fills beside a record: its fields, its label, its rows, its passages and the document. */
  columns(value: R | undefined): Readonly<Record<string, unknown>> {
    return this.#kind.columns(this.#shape, value)
  }

  /** A value as a reply would write it: `read` returns the value. */
  write(value: R): string {
    return this.#kind.write(this.#shape, value)
  }

  /** The parts of every value that can be regenerated alone: its fields, its passages. */
  get parts(): readonly string[] {
    return this.partsOf(undefined)
  }

  /** The parts of this value: its rows (`rows.2`) and the records in its lists (`parts.2`) too. */
  partsOf(value: R | undefined): readonly string[] {
    return this.#kind.parts?.(this.#shape, value) ?? []
  }

  /**
   * A value with one of its parts taken from another, all else untouched.
   *
   * @throws TypeError where it has no such part.
   */
  exchange(value: R, other: R, part: string): R {
    const parts = this.partsOf(value)
    if (!parts.includes(part)) throw new TypeError(`unknown part "${part}" (parts: ${parts.join(', ') || 'none'})`)
    return defined(this.#kind.exchange)(this.#shape, value, other, part) as R
  }

  /** The names of the ways in which a sample may be malformed. */
  get ways(): { readonly repairable: readonly string[]; readonly wrong: readonly string[] } {
    const names = (wrong: boolean) => this.#kind.ways.filter((way) => way.wrong === wrong).map((way) => way.name)
    return { repairable: names(false), wrong: names(true) }
  }

  /**
   * A sample reply, the same for the same seed: one that `read` accepts, or with `as` one that is malformed in that way. Undefined if
   * a reply of this output cannot be malformed in that way.
   *
   * @throws ProblemError if no sample is possible, TypeError if the way is unknown.
   */
  sample(seed: number, options: SampleOptions = {}): string | undefined {
    const kind = this.#kind
    const shape = this.#shape
    const way: Way<Shape> | undefined = kind.ways.find((way) => way.name === options.as)
    if (options.as !== undefined && !way)
      throw new TypeError(`unknown way "${options.as}"; known: ${kind.ways.map((way) => way.name).join(', ')}`)
    const random = new SampleRandom(seed, options.values)
    const value = this.sampleValue(random)
    return way ? way.make(shape, value, random) : kind.write(shape, value)
  }

  /** A value whose reply is read back unchanged. A sample that contains characters of the form itself is drawn again. */
  private sampleValue(random: SampleRandom): R {
    const kind = this.#kind
    const shape = this.#shape
    const impossible = (why: string) => new ProblemError([problem('sample-impossible', { output: shape.name, why })])
    for (let tries = 0; tries < 30; tries++) {
      let value: unknown
      try {
        random.begin(shape.mustSay)
        value = kind.sample(shape, random)
      } catch (fault) {
        if (fault instanceof NoSample) throw impossible(fault.message)
        throw fault
      }
      if (kind.faithful?.(shape) ? this.containsRequired(value) : this.readsBack(value)) return value as R
    }
    throw impossible('a sample could not be told from its fixed text')
  }

  private containsRequired(value: unknown): boolean {
    const reading = new Reading(new Source('the sample', ''))
    sayings(this.#shape, value, reading)
    checkWhole(this.#shape, value, reading)
    return reading.problems.length === 0
  }

  private readsBack(value: unknown): boolean {
    const back = this.read(this.#kind.write(this.#shape, value))
    return back.problems.length === 0 && back.repairs.length === 0 && JSON.stringify(back.partial) === JSON.stringify(value)
  }
}
