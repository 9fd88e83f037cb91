// The compiler reads a text of the language far enough to know its names: which it uses, and which loops it opens. It errs on the quiet
// side: what it does not understand is not reported here but when the library is opened. Every walk is tail-recursive, since without
// that the compiler gives up after fifty steps.
import type { FieldsOf, TypeOf } from '../values/declarations.js'

/** The names that a text sees, with their declarations. */
export interface Names {
  readonly [name: string]: unknown
}
/** What a loop's item is where nothing is known of it. */
type Unknown = { readonly type: 'any' }

/** The first fault in a text, as a sentence; never where there is none. */
export type FaultIn<Text extends string, Scope extends Names> = Lines<Text, [Scope]>

/** Scopes of the blocks that are open, innermost first. */
type Open = readonly Names[]

type Lines<S extends string, Stack extends Open> = S extends `${infer Line}\n${infer Rest}`
  ? LineEnds<Line, Stack> extends infer After
    ? After extends Open
      ? Lines<Rest, After>
      : After
    : never
  : LineEnds<S, Stack> extends infer After
    ? After extends Open
      ? never
      : After
    : never

/** The scopes that are open at a line's end, or the first fault in it. */
type LineEnds<Line extends string, Stack extends Open> =
  TrimLeft<Line> extends `~ ${infer Said}`
    ? Stack extends readonly [{ readonly '~': unknown }, ...infer Outer extends Open]
      ? TrimLeft<Said> extends `end${string}`
        ? Outer
        : Stack
      : Directive<Trim<Said>, Stack>
    : Stack extends readonly [{ readonly '~': unknown }, ...Open]
      ? Stack
      : Slots<Line, Stack>

type Slots<Line extends string, Stack extends Open> = Line extends `${infer Head}{${infer Tail}`
  ? Head extends `${string}\\`
    ? Slots<Tail, Stack>
    : Tail extends `${infer First}${string}`
      ? IsLetter<First> extends true
        ? Tail extends `${infer Inside}}${infer Rest}`
          ? Inline<Trim<Inside>, Stack> extends infer After
            ? After extends Open
              ? Slots<Rest, After>
              : After
            : never
          : Stack
        : Slots<Tail, Stack>
      : Stack
  : Stack

/** Letters have two cases; letters of scripts without cases are not recognised here and are checked later. */
type IsLetter<Mark extends string> = Mark extends '_' ? true : Lowercase<Mark> extends Uppercase<Mark> ? false : true

type Inline<Said extends string, Stack extends Open> = Said extends
  `${'when' | 'each' | 'use' | 'otherwise' | 'end' | 'aside'} ${string}` | 'otherwise' | 'end' | 'vary' | 'instead' | 'aside'
  ? Directive<Said, Stack>
  : Stack extends readonly [infer Scope extends Names, ...Open]
    ? Then<ValueFault<Said, Scope>, Stack>
    : Stack

type Directive<Said extends string, Stack extends Open> = Stack extends readonly [infer Scope extends Names, ...infer Outer extends Open]
  ? Said extends `when ${infer Condition}`
    ? Then<ConditionFault<Condition, Scope>, [Scope, ...Stack]>
    : Said extends `otherwise when ${infer Condition}`
      ? Then<ConditionFault<Condition, Scope>, Stack>
      : Said extends `each ${infer Head}`
        ? EachOpens<Head, Stack, Scope>
        : Said extends `use ${infer Use}`
          ? Then<UseFault<Use, Scope>, Stack>
          : Said extends 'vary'
            ? [Scope, ...Stack]
            : Said extends 'untouched'
              ? [Scope & { readonly '~': true }, ...Stack]
              : Said extends 'end' | `end ${string}`
                ? Outer extends readonly []
                  ? Stack
                  : Outer
                : Stack
  : Stack

/** A fault, or what comes next. */
type Then<Fault, Next> = [Fault] extends [never] ? Next : Fault

// ------------------------------------------------------------------ loops

type EachOpens<Head extends string, Stack extends Open, Scope extends Names> =
  LoopScope<Head, Scope> extends infer Inner ? (Inner extends Names ? [Inner, ...Stack] : Inner extends string ? Inner : Stack) : never

/** The names that stand within a loop, or the first fault in its head. */
export type LoopScope<Head extends string, Scope extends Names> =
  WithoutJoined<Head> extends `${infer Given} in ${infer Said}`
    ? Said extends `${infer Value} keep ${infer Condition}`
      ? Then<ValueFault<Value, Scope>, KeptScope<Condition, Bound<Given, ItemAt<Value, Scope>, Scope>>>
      : Then<ValueFault<Said, Scope>, Bound<Given, ItemAt<Said, Scope>, Scope>>
    : Scope

type KeptScope<Condition extends string, Inner> = Inner extends Names ? Then<ConditionFault<Condition, Inner>, Inner> : never
type WithoutJoined<Head extends string> = Head extends `${infer Before} joined ${string}` ? Before : Head

/** The scope with the loop's own names. */
type Bound<Given extends string, Item, Scope extends Names> = Given extends `${infer Name},${infer Position}`
  ? With<With<Scope, Trim<Name>, Item>, Trim<Position>, 'integer'>
  : With<Scope, Trim<Given>, Item>
type With<Scope extends Names, Name extends string, D> = {
  readonly [N in keyof Scope | Name]: N extends Name ? D : N extends keyof Scope ? Scope[N] : never
}

/** What a loop over a value has as its items; what formats and `or` make of it is not followed. */
type ItemAt<Value extends string, Scope extends Names> =
  Trim<Value> extends `${string} ${string}` ? Unknown : DeclaredAt<Trim<Value>, Scope> extends infer D ? ItemOf<D> : Unknown

type ItemOf<D> =
  TypeOf<D> extends infer T
    ? T extends `list of ${infer I}`
      ? { readonly type: I; readonly fields: FieldsOf<D> }
      : T extends 'table'
        ? { readonly type: 'record'; readonly fields: FieldsOf<D> }
        : T extends 'list'
          ? 'text'
          : T extends 'record'
            ? { readonly type: 'record'; readonly fields: { readonly key: 'text'; readonly value: Unknown } }
            : Unknown
    : never

/** The declaration that a path ends at; a fault, or nothing known, is no declaration. */
type DeclaredAt<Path extends string, Scope extends Names> = Path extends `${infer Root}.${infer Steps}`
  ? Root extends keyof Scope
    ? Stepped<Scope[Root], Steps, Root>
    : Unknown
  : Path extends keyof Scope
    ? Scope[Path]
    : Unknown

// ------------------------------------------------------------------ values

/** The first fault in the content of a slot: paths with `or`, a literal, formats. */
export type ValueFault<Value extends string, Scope extends Names> = Value extends `${infer Paths} as ${string}`
  ? PathsFault<Paths, Scope>
  : PathsFault<Value, Scope>

type PathsFault<Said extends string, Scope extends Names> =
  Trim<Said> extends `${infer Path} or ${infer Rest}`
    ? PathFault<Path, Scope> extends infer Fault
      ? [Fault] extends [never]
        ? Trim<Rest> extends `"${string}`
          ? never
          : PathsFault<Rest, Scope>
        : Fault
      : never
    : PathFault<Trim<Said>, Scope>

type PathFault<Path extends string, Scope extends Names> = Path extends `"${string}` | `${number}` | 'true' | 'false' | ''
  ? never
  : Path extends `${infer Root}.${infer Steps}`
    ? Root extends keyof Scope
      ? FaultOnly<Stepped<Scope[Root], Steps, Root>>
      : NoVariable<Root>
    : Path extends keyof Scope
      ? never
      : NoVariable<Path>

/** Words of types hold no quotes: what does is a sentence. */
type Sentence = `${string}"${string}`
type FaultOnly<At> = At extends Sentence ? At : never
type NoVariable<Name extends string> = Name extends `${string} ${string}` ? `"${Name}" cannot be read` : `there is no variable "${Name}"`

/** The declaration behind steps, or the fault of the first step that leads nowhere. */
type Stepped<D, Steps extends string, Path extends string> = Steps extends `"${string}`
  ? Unknown
  : Steps extends `${infer Step}.${infer Rest}`
    ? FieldAt<D, Step, Path> extends infer At
      ? At extends Sentence
        ? At
        : Stepped<At, Rest, `${Path}.${Step}`>
      : never
    : FieldAt<D, Steps, Path>

type FieldAt<D, Step extends string, Path extends string> =
  TypeOf<D> extends infer T
    ? T extends 'record'
      ? FieldsOf<D> extends infer F
        ? F extends undefined
          ? Unknown
          : Step extends keyof F
            ? F[Step]
            : `"${Path}" has no field "${Step}"`
        : never
      : T extends 'any' | 'file' | 'turns'
        ? Unknown
        : T extends 'list' | 'table' | `list of ${string}`
          ? Step extends `${number}`
            ? ItemOf<D>
            : `".${Step}" cannot follow "${Path}", which is ${T}`
          : T extends string
            ? `".${Step}" cannot follow "${Path}", which is ${T}`
            : Unknown
    : never

// ------------------------------------------------------------------ conditions

/** The first fault among the paths of a condition. */
export type ConditionFault<Condition extends string, Scope extends Names> = Condition extends `${string}\\"${string}`
  ? never
  : Words<Spaced<WithoutStrings<Condition>>, Scope>

type WithoutStrings<S extends string, Done extends string = ''> = S extends `${infer Before}"${string}"${infer After}`
  ? WithoutStrings<After, `${Done}${Before} `>
  : `${Done}${S}`

type Spaced<S extends string> = Replace<Replace<Replace<Replace<Replace<S, '('>, ')'>, ','>, '<'>, '>'>
type Replace<S extends string, Mark extends string, Done extends string = ''> = S extends `${infer Before}${Mark}${infer After}`
  ? Replace<After, Mark, `${Done}${Before} `>
  : `${Done}${S}`

type Keyword = 'is' | 'not' | 'empty' | 'in' | 'has' | 'and' | 'or' | 'true' | 'false' | '=' | ''

type Words<S extends string, Scope extends Names> = S extends `${infer Word} ${infer Rest}`
  ? Word extends 'as'
    ? TrimLeft<Rest> extends `${string} ${infer Behind}`
      ? Words<Behind, Scope>
      : never
    : WordFault<Word, Scope> extends infer Fault
      ? [Fault] extends [never]
        ? Words<Rest, Scope>
        : Fault
      : never
  : WordFault<S, Scope>
type WordFault<Word extends string, Scope extends Names> = Word extends Keyword | `${number}` ? never : PathFault<Word, Scope>

// ------------------------------------------------------------------ use

type UseFault<Use extends string, Scope extends Names> = Use extends `${infer Name} with ${infer Given}`
  ? Then<NameFault<Name, Scope>, GivenFault<WithoutStrings<Given>, Scope>>
  : NameFault<Use, Scope>
/** A step of a snippet's name may be a slot; its closing brace may be the directive's own. */
type NameFault<Name extends string, Scope extends Names> = Name extends `${string}{${infer Slot}}${string}`
  ? PathFault<Trim<Slot>, Scope>
  : Name extends `${string}{${infer Slot}`
    ? PathFault<Trim<Slot>, Scope>
    : never
type GivenFault<Given extends string, Scope extends Names> = Given extends `${string}=${infer Value},${infer Rest}`
  ? ValueFault<Trim<Value>, Scope> extends infer Fault
    ? [Fault] extends [never]
      ? GivenFault<Rest, Scope>
      : Fault
    : never
  : Given extends `${string}=${infer Value}`
    ? ValueFault<Trim<Value>, Scope>
    : never

// ------------------------------------------------------------------ spaces

type TrimLeft<S extends string> = S extends `${' ' | '\t'}${infer Rest}` ? TrimLeft<Rest> : S
type TrimRight<S extends string> = S extends `${infer Rest}${' ' | '\t' | '\r'}` ? TrimRight<Rest> : S
type Trim<S extends string> = TrimRight<TrimLeft<S>>
