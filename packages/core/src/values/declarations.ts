import type { FileValue } from './files.js'

/** The types that a declaration names: `list of` stands before any of them. */
export type TypeWord =
  | 'text'
  | 'integer'
  | 'number'
  | 'boolean'
  | 'date'
  | 'date-time'
  | 'choice'
  | 'record'
  | 'table'
  | 'file'
  | 'turns'
  | 'list'
  | `list of ${string}`

/** Labels, each with its meaning if it has one, and the labels that it is chosen over where both fit. */
export interface LabelsInput {
  readonly [label: string]: string | null | { readonly about?: string; readonly over?: string | readonly string[] }
}

/** A declaration with keys: the same keys as in a library's files. */
export interface DeclarationKeys<B = number> {
  readonly type: TypeWord
  readonly of?: readonly string[] | LabelsInput
  readonly fields?: Declarations<B>
  readonly optional?: boolean
  readonly default?: unknown
  readonly untrusted?: boolean
  readonly about?: string
  readonly question?: string
  readonly example?: unknown
  readonly min?: B | string
  readonly max?: B | string
  readonly 'min-length'?: B
  readonly 'max-length'?: B
  readonly 'min-words'?: B
  readonly 'max-words'?: B
  readonly pattern?: string
  readonly 'min-items'?: B
  readonly 'max-items'?: B
  readonly unique?: boolean
  readonly splits?: string
  readonly reads?: string
  readonly media?: readonly string[]
}

/** A type alone, or a type with keys. */
export type Declaration<B = number> = TypeWord | DeclarationKeys<B>
/** `B`: what a bound may be; in outputs a slot too. */
export interface Declarations<B = number> {
  readonly [name: string]: Declaration<B>
}

/** An earlier turn, as a variable of the type `turns` takes it. */
export interface HistoryEntry {
  readonly role: 'user' | 'assistant'
  readonly text: string
}

export type TypeOf<D> = D extends string ? D : D extends { readonly type: infer T extends string } ? T : never
export type FieldsOf<D> = D extends { readonly fields: infer F } ? F : undefined

type RecordOf<D> = FieldsOf<D> extends infer F ? (F extends undefined ? Readonly<Record<string, unknown>> : ValuesOf<F>) : never
export type OptionOf<D> = D extends { readonly of: readonly (infer O)[] }
  ? O
  : D extends { readonly of: infer L }
    ? keyof L & string
    : string

/** The accepted values of a declaration, `T` being its type's word. */
type ValueFor<T extends string, D> = T extends 'text'
  ? string
  : T extends 'integer' | 'number'
    ? number | bigint
    : T extends 'boolean'
      ? boolean
      : T extends 'date' | 'date-time'
        ? string | Date
        : T extends 'choice'
          ? OptionOf<D>
          : T extends 'record'
            ? RecordOf<D>
            : T extends 'table'
              ? readonly RecordOf<D>[]
              : T extends 'file'
                ? FileValue | `data:${string}`
                : T extends 'turns'
                  ? readonly HistoryEntry[]
                  : T extends `list of ${infer I}`
                    ? readonly ValueFor<I, D>[]
                    : T extends 'list'
                      ? readonly string[]
                      : unknown

type MayMiss<D> = D extends { readonly optional: true }
  ? true
  : D extends { readonly default: infer F }
    ? F extends null | undefined
      ? false
      : true
    : false
type Missable<V> = { [N in keyof V]: MayMiss<V[N]> extends true ? N : never }[keyof V]

/** The values that declarations take: those that are optional or have a default may be left out. */
export type ValuesOf<V> = Flat<
  { readonly [N in Exclude<keyof V, Missable<V>>]: ValueFor<TypeOf<V[N]>, V[N]> } & {
    readonly [N in Missable<V>]?: ValueFor<TypeOf<V[N]>, V[N]> | null | undefined
  }
>

/** The type of a reply by a declaration: plain data, as in JSON. */
type ReplyFor<T extends string, D> = T extends 'integer' | 'number'
  ? number
  : T extends 'date' | 'date-time'
    ? string
    : T extends 'record'
      ? ReplyRecord<D>
      : T extends 'table'
        ? readonly ReplyRecord<D>[]
        : T extends `list of ${infer I}`
          ? readonly ReplyFor<I, D>[]
          : ValueFor<T, D>
type ReplyRecord<D> = FieldsOf<D> extends infer F ? (F extends undefined ? Readonly<Record<string, unknown>> : ReplyOf<F>) : never

/** The data that an output of `fields` is read as. */
export type ReplyOf<F> = Flat<
  { readonly [N in Exclude<keyof F, Missable<F>>]: ReplyFor<TypeOf<F[N]>, F[N]> } & {
    readonly [N in Missable<F>]?: ReplyFor<TypeOf<F[N]>, F[N]> | null
  }
>

/** An intersection shown as the one object that it is. */
export type Flat<T> = { [K in keyof T]: T[K] } & {}
