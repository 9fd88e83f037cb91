import type { SampleRandom } from './sample/random.js'
import type { Reading } from './reading.js'
import type { Shape } from './shape.js'
import type { JsonSchema } from '../interop/to-schema.js'

/** A way in which a reply can be other than asked: read all the same with a repair, or wrong. */
export interface Way<S> {
  readonly name: string
  readonly wrong: boolean
  /** The reply, or undefined where this output leaves no room for it. */
  readonly make: (shape: S, value: unknown, random: SampleRandom) => string | undefined
}

/** The text that asks for an answer. The output's own words, a row or a document, follow unchanged at the end. */
export interface Instruction {
  readonly asks: string
  /** The line ends before the own words. */
  readonly gap: '' | '\n' | '\n\n'
  readonly own: string
}

/** An instruction that has no words of the output's own. */
export function asking(asks: string): Instruction {
  return { asks, gap: '', own: '' }
}

/** All that a kind of output does. One file brings it; one list names them all. */
export interface OutputKind<S extends Shape> {
  readonly form: S['form']
  readonly instruct: (shape: S) => Instruction
  /** The JSON Schema of what a reply is read as: always an object. */
  readonly schema: (shape: S, strict: boolean) => JsonSchema
  /** What is wrong is reported to the reading; the value then counts as kept. */
  readonly read: (shape: S, reading: Reading) => unknown
  /** A value by the columns that it fills beside a record. */
  readonly columns: (shape: S, value: unknown) => Readonly<Record<string, unknown>>
  /** A value in the words of the form: `read` gives it back. */
  readonly write: (shape: S, value: unknown) => string
  /** The parts that can be regenerated alone: fields, passages; of a value also its rows and the records in its lists. */
  readonly parts?: (shape: S, value: unknown) => readonly string[]
  /** A value with one of its parts taken from another. */
  readonly exchange?: (shape: S, value: unknown, other: unknown, part: string) => unknown
  readonly sample: (shape: S, random: SampleRandom) => unknown
  /** Whether a sample is always read back unchanged, with any words in it: then only required and forbidden phrases are checked. */
  readonly faithful?: (shape: S) => boolean
  readonly ways: readonly Way<S>[]
}
