import type { Source, Span } from '../source/source.js'

/** A parsed text. Its tree keeps every character of the source: `printText` gives it back byte for byte. */
export interface Text {
  readonly source: Source
  readonly items: readonly Item[]
}

/** What a body of line form holds: lines, and blocks opened by directive lines. */
export type Item = Line | LineDirective

/** A line of the source; longer only where an inline block goes on over line ends. */
export interface Line {
  readonly kind: 'line'
  readonly pieces: readonly Piece[]
  /** The leading spaces of the first source line. */
  readonly indent: string
  readonly blank: boolean
  /** Whether it was ended by a line end: the last line of a text may not be. */
  readonly ended: boolean
  readonly span: Span
}

export type Piece = Fixed | Slot | Passage | Break | When<Piece> | Each<Piece> | Vary<Piece> | Use | Note | Broken | LineDirective

/** Literal text. `escaped` names what a backslash kept from being read. */
export interface Fixed {
  readonly kind: 'fixed'
  readonly text: string
  readonly escaped?: string
  readonly span: Span
}

/** A line end within an inline block; the leading spaces of the next source line are the next fixed text's. */
export interface Break {
  readonly kind: 'break'
  readonly span: Span
}

/** What could not be read; reported, and kept for printing. */
export interface Broken {
  readonly kind: 'broken'
  readonly span: Span
}

export interface Slot {
  readonly kind: 'slot'
  readonly value: SlotValue
  readonly span: Span
}

export type PassageType = 'text' | 'integer' | 'number' | 'date'

/** A place that a model writes, in the texts of outputs: `<name: guidance>`. Its pieces are all of it, brackets too. */
export interface Passage {
  readonly kind: 'passage'
  readonly name: string
  readonly type: PassageType
  readonly pieces: readonly Piece[]
  readonly span: Span
}

/** All that a slot may hold: paths of which the first present one counts, a literal fallback, formats. */
export interface SlotValue {
  readonly paths: readonly Path[]
  readonly fallback: Literal | undefined
  readonly formats: readonly FormatCall[]
  readonly span: Span
}

export interface Path {
  readonly name: string
  readonly steps: readonly Step[]
  readonly span: Span
}

export interface Step {
  readonly kind: 'name' | 'integer' | 'string'
  readonly key: string
  readonly span: Span
}

export interface Literal {
  readonly kind: 'string' | 'number' | 'boolean'
  readonly value: string | number | boolean
  /** As it was spelled; a string's content. */
  readonly spelled: string
  readonly span: Span
}

export interface FormatCall {
  readonly name: string
  readonly args: readonly Literal[]
  readonly span: Span
}

export type Form = 'line' | 'inline'

interface Directive {
  readonly form: Form
  /** The opener: the whole line of a directive line, the braces of an inline one. */
  readonly head: Span
  /** From the opener to the end. */
  readonly span: Span
  /** The leading spaces of a directive line. */
  readonly indent: string
}

/** A directive as an item of line form: a block with items in its bodies, or a single line. */
export type LineDirective = When<Item> | Each<Item> | Vary<Item> | Untouched | Use | Note | BrokenLine

export interface Branch<B> {
  readonly head: Span
  readonly condition: Condition | undefined
  readonly body: readonly B[]
}

export interface When<B> extends Directive {
  readonly kind: 'when'
  readonly branches: readonly Branch<B>[]
  readonly tail: Span
}

/** What a loop goes through, and under which names. */
export interface LoopHead {
  readonly name: Name
  readonly position: Name | undefined
  readonly value: SlotValue
  readonly keep: Condition | undefined
}

export interface Each<B> extends Directive, LoopHead {
  readonly kind: 'each'
  readonly joined: string | undefined
  readonly body: readonly B[]
  readonly otherwise: Branch<B> | undefined
  readonly tail: Span
}

export interface Vary<B> extends Directive {
  readonly kind: 'vary'
  readonly wordings: readonly Branch<B>[]
  /** Counted within its text, from 1: part of the place that decides the wording. */
  readonly number: number
  readonly tail: Span
}

export interface Untouched extends Directive {
  readonly kind: 'untouched'
  readonly lines: readonly Line[]
  readonly tail: Span
}

export interface Use extends Directive {
  readonly kind: 'use'
  readonly what: 'snippet' | 'persona' | 'examples' | 'output'
  /** The steps of the name; a slot is one of them. */
  readonly steps: readonly (string | SlotValue)[]
  readonly with: readonly With[]
  readonly nameSpan: Span
}

export interface With {
  readonly name: Name
  readonly value: SlotValue
}

export interface Note extends Directive {
  readonly kind: 'aside'
}

export interface BrokenLine extends Directive {
  readonly kind: 'broken-line'
}

export interface Name {
  readonly name: string
  readonly span: Span
}

export type Condition =
  | { readonly kind: 'or' | 'and'; readonly parts: readonly Condition[]; readonly span: Span }
  | { readonly kind: 'not'; readonly part: Condition; readonly span: Span }
  | { readonly kind: 'present'; readonly value: Operand; readonly span: Span }
  | { readonly kind: 'empty'; readonly value: Operand; readonly not: boolean; readonly span: Span }
  | { readonly kind: 'compare'; readonly operator: Comparison; readonly left: Operand; readonly right: Operand; readonly span: Span }
  | { readonly kind: 'among'; readonly left: Operand; readonly not: boolean; readonly literals: readonly Literal[]; readonly span: Span }

export type Comparison = 'is' | 'is not' | '<' | '<=' | '>' | '>=' | 'in' | 'not in' | 'has'

/** A value in a condition: a path with formats, or a literal. */
export type Operand =
  | { readonly kind: 'path'; readonly path: Path; readonly formats: readonly FormatCall[]; readonly span: Span }
  | { readonly kind: 'literal'; readonly literal: Literal; readonly span: Span }
