import type { FaultIn, LoopScope, Names, ValueFault } from './faults.js'
import type { FinishedDocument } from '../outputs/document/document.js'
import type { Declarations, LabelsInput, OptionOf, Flat, ReplyOf, ValuesOf } from '../values/declarations.js'

declare const SHAPE: unique symbol

/** What the compiler remembers of a definition; nothing of it is there at run time. */
interface Shaped<S> {
  readonly [SHAPE]?: S
}

interface Described {
  readonly title?: string
  readonly about?: string
  /** Invisible characters that its texts may hold, as `U+200D`. */
  readonly allow?: readonly string[]
}

// ------------------------------------------------------------------ what is written

/** The keys of a snippet file, for `makeSnippet`. */
export interface SnippetInput extends Described {
  readonly variables?: Declarations
  readonly text: string
}
/** The keys of a persona file, for `makePersona`. */
export interface PersonaInput extends Described {
  readonly who: string
  readonly voice?: readonly string[]
  readonly always?: readonly string[]
  readonly never?: readonly string[]
  readonly layout?: string
}
/** Which cases are written for a record, and in what order. */
export interface PickInput {
  readonly by?: 'all' | 'first' | 'seeded' | 'likeness' | 'spread'
  readonly 'at-most'?: number
  readonly 'at-least'?: number
  readonly cover?: string
  /** In tokens. */
  readonly budget?: number | `${number} tokens`
  readonly order?: 'best-last' | 'best-first' | 'grouped' | 'mixed'
}
/** The keys of an example set file, for `makeExampleSet`. */
export interface ExampleSetInput extends Described {
  readonly fields: Declarations
  readonly input?: string
  /** A layout, or `output`: the form of the prompt's output. */
  readonly expected?: string
  readonly pick?: PickInput
  readonly cases?: readonly Readonly<Record<string, unknown>>[]
}
/** A bound that may be a slot: `{words}`. */
type BoundInput = number | `{${string}}`
interface OutputCommonInput extends Described {
  readonly 'based-on'?: string | AnyOutput
  readonly show?: 'skeleton' | 'description' | 'json-schema' | 'none'
  readonly 'must-say'?: readonly string[]
  readonly 'must-not-say'?: readonly string[]
}
/** What an answer keeps to as a whole. */
interface WholeInput {
  readonly cites?: string
  readonly 'min-words'?: number
  readonly 'max-words'?: number
  readonly 'not-counting'?: string | readonly string[]
}
/** The keys of an output file, for `makeOutput`. */
export type OutputInput = OutputCommonInput &
  (
    | ({ readonly kind: 'fields'; readonly fields?: Declarations<BoundInput> } & WholeInput)
    | {
        readonly kind: 'one-of'
        readonly field?: string
        readonly of?: readonly string[] | LabelsInput | { readonly field: string; readonly examples: string | AnyExampleSet }
      }
    | {
        readonly kind: 'rows'
        readonly row?: string
        readonly count?: BoundInput | { readonly min?: BoundInput; readonly max?: BoundInput }
      }
    | ({ readonly kind: 'document'; readonly text?: string } & WholeInput)
  )

type Attached = string | { readonly from: string; readonly as?: 'text' | 'file' }
interface Spoken {
  readonly name?: string
  readonly attach?: readonly Attached[]
}
/** A turn of a prompt written in code. */
export type TurnInput =
  | (Spoken & { readonly system: string })
  | (Spoken & { readonly user: string })
  | (Spoken & { readonly assistant: string })
  | {
      readonly name?: string
      readonly history:
        string | { readonly from: string; readonly fence?: string; readonly last?: number; readonly budget?: string | number }
    }
  | { readonly name?: string; readonly examples: string | AnyExampleSet; readonly to?: string }
  | {
      readonly name?: string
      readonly input: string | AnyExampleSet
      readonly with?: Readonly<Record<string, string>>
      readonly 'begin-answer'?: boolean
    }
  | { readonly name?: string; readonly each: string; readonly turns: readonly TurnInput[] }

/** The keys of a file in `prompts/`, for `makePrompt`. */
export interface PromptInput extends Described {
  readonly title: string
  readonly tags?: readonly string[]
  readonly variables?: Declarations
  readonly persona?: string | PersonaDefinition
  readonly output?: string | AnyOutput
  readonly locale?: string
  readonly personal?: readonly string[]
  readonly 'only-mentioned'?: readonly string[]
  readonly tool?: boolean
  readonly trusted?: boolean
  readonly settings?: Readonly<Record<string, unknown>>
  readonly turns?: readonly TurnInput[]
  readonly 'based-on'?: string | AnyPrompt
  readonly bind?: Readonly<Record<string, string>>
  readonly replace?: Readonly<Record<string, TurnInput>>
  readonly 'add-turns'?: readonly TurnInput[]
  readonly without?: readonly string[]
}

/** One of the prompts of an assembly. */
export interface PartInput {
  readonly prompt: string | AnyPrompt
  readonly candidates?: number
  readonly distinct?: boolean
  readonly choose?: 'first' | 'person' | { readonly prompt: string | AnyPrompt }
  /** Variables of the prompt: values of the assembly, and answers of other parts. */
  readonly with?: Readonly<Record<string, string>>
  /** Variables of the prompt: constants. */
  readonly set?: Readonly<Record<string, unknown>>
  readonly each?: string
  readonly when?: string
  readonly otherwise?: string
}
/** The keys of an assembly file, for `makeAssembly`. */
export interface AssemblyInput extends Described {
  readonly tags?: readonly string[]
  readonly variables?: Declarations
  readonly parts: Readonly<Record<string, PartInput>>
  readonly text?: string
}

// ------------------------------------------------------------------ what is made of it

/** A snippet written in code: the result of `makeSnippet`. */
export interface SnippetDefinition {
  readonly kind: 'snippet'
  readonly input: SnippetInput
}
/** A persona written in code: the result of `makePersona`. */
export interface PersonaDefinition {
  readonly kind: 'persona'
  readonly input: PersonaInput
}
/** An example set written in code: the result of `makeExampleSet`. */
export interface ExampleSetDefinition<F> extends Shaped<{ fields: F }> {
  readonly kind: 'example set'
  readonly input: ExampleSetInput
}
/** An output written in code: the result of `makeOutput`. `Reply` is the type of the answer. */
export interface OutputDefinition<R> extends Shaped<{ reply: R }> {
  readonly kind: 'output'
  readonly input: OutputInput
}
/** `V`: the variables that it takes, those of its bases too; `R`: what its replies are read as. */
export interface PromptDefinition<V, R> extends Shaped<{ variables: V; reply: R }> {
  readonly kind: 'prompt'
  readonly input: PromptInput
}
/** An assembly written in code: `V` are its variables, `P` the answers of its parts. */
export interface AssemblyDefinition<V, P> extends Shaped<{ variables: V; answers: P }> {
  readonly kind: 'assembly'
  readonly input: AssemblyInput
}
export type AnyAssembly = AssemblyDefinition<unknown, unknown>
export type AnyPrompt = PromptDefinition<unknown, unknown>
export type AnyOutput = OutputDefinition<unknown>
export type AnyExampleSet = ExampleSetDefinition<unknown>

/** A prompt's values and reply, as a library of types holds them. */
export interface PromptTypes {
  readonly values: object
  readonly reply: unknown
}
/** The values and the reply of a prompt that is written in code. */
export type TypesOf<D> = D extends PromptDefinition<infer V, infer R> ? { readonly values: ValuesOf<V>; readonly reply: R } : never

/** The values and the answers of an assembly that is written in code. */
export type AssemblyTypesOf<D> =
  D extends AssemblyDefinition<infer V, infer P> ? { readonly values: ValuesOf<V>; readonly answers: P } : never

/** The answers of the parts of an assembly, by name. */
export type AnswersIn<D> = D extends { readonly parts: infer P } ? { readonly [N in keyof P]: PartAnswerIn<P[N]> } : object
type PartAnswerIn<P> = P extends { readonly each: string }
  ? readonly Readonly<Record<string, unknown> & { readonly answer: OneAnswerIn<P> }>[]
  : OneAnswerIn<P>
type OneAnswerIn<P> =
  | AnswerIn<P>
  | (P extends { readonly when: string; readonly otherwise: string } ? never : P extends { readonly when: string } ? null : never)
type AnswerIn<P> = P extends { readonly prompt: PromptDefinition<unknown, infer R> }
  ? R extends FinishedDocument<infer T>
    ? Flat<T & { readonly document: string }>
    : R
  : unknown

export type OutputReply<O> = O extends { readonly 'based-on': infer B }
  ? O extends { readonly kind: 'fields'; readonly fields: infer F }
    ? B extends OutputDefinition<infer R>
      ? Flat<Omit<R, keyof F> & ReplyOf<F>>
      : unknown
    : B extends OutputDefinition<infer R>
      ? R
      : unknown
  : O extends { readonly kind: 'one-of' }
    ? { readonly [F in LabelField<O>]: O extends { readonly of: FromExamples } ? string : OptionOf<O> }
    : O extends { readonly kind: 'fields'; readonly fields: infer F }
      ? ReplyOf<F>
      : O extends { readonly kind: 'rows'; readonly row: infer T }
        ? { readonly rows: readonly PassagesOf<T>[] }
        : O extends { readonly kind: 'document'; readonly text: infer T }
          ? FinishedDocument<PassagesOf<T>>
          : unknown

interface FromExamples {
  readonly field: string
  readonly examples: unknown
}
/** The name of a label in an answer. */
type LabelField<O> = O extends { readonly field: infer F extends string }
  ? F
  : O extends { readonly of: FromExamples & { readonly field: infer F extends string } }
    ? F
    : 'label'

/** The passages of a text, by name: numbers where their guidance begins with such a type. */
type PassagesOf<T> = T extends string
  ? string extends T
    ? Readonly<Record<string, string | number>>
    : { readonly [P in PassagesIn<T> as P[0]]: P[1] }
  : never
type PassagesIn<T extends string, Found = never> = T extends `${infer Before}<${infer Rest}`
  ? Before extends `${string}\\`
    ? PassagesIn<Rest, Found>
    : Rest extends `${infer Inside}>${infer Behind}`
      ? PassagesIn<Behind, Found | PassageIn<Inside>>
      : Found
  : Found
type PassageIn<Inside extends string> = Inside extends `${infer Name}:${infer Guidance}`
  ? [Bare<Name>, Bare<Guidance> extends `${'integer' | 'number'}${'' | ` ${string}` | `,${string}`}` ? number : string]
  : [Bare<Inside>, string]
type Bare<S extends string> = S extends ` ${infer R}` ? Bare<R> : S extends `${infer R} ` ? Bare<R> : S

// ------------------------------------------------------------------ what follows of a definition

/** No names at all. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
type Nothing = {}
type BaseOf<D> = D extends { readonly 'based-on': PromptDefinition<infer V, unknown> } ? V : Nothing
export type OwnOf<D> = D extends { readonly variables: infer V } ? V : Nothing
type BoundIn<D> =
  | (D extends { readonly bind: infer B } ? keyof B : never)
  | (D extends { readonly without: readonly (infer N extends string)[] } ? N : never)

/** The variables that a prompt takes: its own in place of those of its base, without what it binds or leaves out. */
export type VariablesOf<D> = Flat<Omit<BaseOf<D>, BoundIn<D> | keyof OwnOf<D>> & OwnOf<D>>
/** All names that its texts see, bound ones too. */
type SeenIn<D> = Omit<BaseOf<D>, keyof OwnOf<D>> & OwnOf<D>

/** What a prompt's replies are read as; text where it has no output, its base's where it is based on one. */
export type ReplyIn<D> = D extends { readonly output: OutputDefinition<infer R> }
  ? R
  : D extends { readonly output: string }
    ? unknown
    : D extends { readonly 'based-on': PromptDefinition<unknown, infer R> }
      ? R
      : D extends { readonly 'based-on': string }
        ? unknown
        : string

// ------------------------------------------------------------------ what is wrong with it

/** Marks a wrong definition, so that the compiler's message has the reason. */
export interface Wrong<Sentence extends string> {
  readonly wrong: Sentence
}
type Said<Fault> = [Fault] extends [never] ? unknown : Fault extends string ? Wrong<Fault> : unknown
type CheckText<T, S> = T extends string ? (S extends Names ? Said<FaultIn<T, S>> : unknown) : unknown
type CheckTexts<T, S> = { readonly [K in keyof T]: CheckText<T[K], S> }

/** Keys that nothing reads. */
type CheckKeys<D, Known, What extends string> = {
  readonly [K in Exclude<keyof D, KeysOf<Known>>]: Wrong<`${What} has no key "${K & string}"`>
}
type KeysOf<U> = U extends unknown ? keyof U : never

type CheckAttached<A, S> = { readonly [I in keyof A]: CheckAttachment<A[I], S> }
type CheckAttachment<A, S> = A extends { readonly from: string }
  ? { readonly [K in keyof A]: K extends 'from' ? CheckAttachment<A[K], S> : unknown }
  : A extends `${string}/${string}`
    ? unknown
    : A extends string
      ? S extends Names
        ? Said<ValueFault<A, S>>
        : unknown
      : unknown

type CheckTurns<T, S> = { readonly [I in keyof T]: CheckTurn<T[I], S> }
type CheckTurn<T, S> = {
  readonly [K in keyof T]: K extends 'system' | 'user' | 'assistant' | 'to'
    ? CheckText<T[K], S>
    : K extends 'attach'
      ? CheckAttached<T[K], S>
      : K extends 'with'
        ? CheckTexts<T[K], S>
        : K extends 'history'
          ? CheckAttachment<T[K], S>
          : K extends 'each'
            ? Said<SentenceOf<LoopIn<T, S>>>
            : K extends 'turns'
              ? CheckTurns<T[K], LoopIn<T, S>>
              : unknown
} & CheckKeys<T, TurnInput, 'a turn'>

/** The names within repeated turns, or what is wrong with their head. */
type LoopIn<T, S> = T extends { readonly each: infer H extends string } ? (S extends Names ? LoopScope<H, S> : S) : S
type SentenceOf<L> = L extends string ? L : never

/** A prompt's definition, each of its texts checked against the names that it may use. */
export type CheckPrompt<D> = CheckKeys<D, PromptInput, 'a prompt'> & {
  readonly [K in keyof D]: K extends 'turns' | 'add-turns'
    ? CheckTurns<D[K], SeenIn<D>>
    : K extends 'replace'
      ? CheckTurns<D[K], SeenIn<D>>
      : K extends 'persona' | 'output' | 'locale'
        ? CheckText<D[K], SeenIn<D>>
        : K extends 'bind'
          ? {
              readonly [N in keyof D[K]]: N extends keyof BaseOf<D>
                ? CheckText<D[K][N], VariablesOf<D>>
                : Wrong<`the base has no "${N & string}"`>
            }
          : unknown
}
/** An assembly's definition: its keys and those of its parts. What its texts name is checked when the library is made. */
export type CheckAssembly<D> = CheckKeys<D, AssemblyInput, 'an assembly'> & {
  readonly [K in keyof D]: K extends 'parts' ? { readonly [N in keyof D[K]]: CheckKeys<D[K][N], PartInput, 'a part'> } : unknown
}
export type CheckSnippet<D> = CheckKeys<D, SnippetInput, 'a snippet'> & {
  readonly text: D extends { readonly text: infer T } ? CheckText<T, OwnOf<D>> : unknown
}
type FieldsIn<D> = D extends { readonly fields: infer F } ? F : Nothing
export type CheckExampleSet<D> = CheckKeys<D, ExampleSetInput, 'an example set'> & {
  readonly [K in keyof D]: K extends 'input' | 'expected'
    ? CheckText<D[K], FieldsIn<D>>
    : K extends 'cases'
      ? readonly ValuesOf<FieldsIn<D>>[]
      : unknown
}
type PersonaNames = {
  readonly who: 'text'
  readonly voice: 'list of text'
  readonly always: 'list of text'
  readonly never: 'list of text'
}
export type CheckPersona<D> = CheckKeys<D, PersonaInput, 'a persona'> & {
  readonly [K in keyof D]: K extends 'layout' ? CheckText<D[K], PersonaNames> : unknown
}
export type CheckOutput<D> = D extends { readonly kind: infer K }
  ? CheckKeys<D, Extract<OutputInput, { readonly kind: K }>, `an output of the kind ${K & string}`>
  : unknown
