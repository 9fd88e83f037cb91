import type { Role } from '../artefacts/artefacts.js'
import type { Report } from '../problems/problem.js'
import type { Draws } from '../render/plan.js'
import type { Get, Op } from '../render/run.js'
import type { TextOrigin, OriginKind, Via } from '../render/trace.js'
import type { Span } from '../source/source.js'
import type { Text, Use } from '../text/nodes.js'
import type { Format } from '../values/formats/format.js'
import type { Declared, ValueType } from '../values/types.js'
import type { Scope } from './scope.js'

/** The place of a text, for its compiler. */
export interface Context {
  readonly scope: Scope
  readonly role: Role
  /** What this text's own fixed characters are. */
  readonly kind: OriginKind
  readonly via: Via | undefined
  /** How deep snippets and blocks are nested here. */
  readonly depth: number
  readonly blocks: number
  /** Whether other text stands on the line on which this text is used: a fence has no place there. */
  readonly beside?: boolean
  /** Names the text among the prompt's texts, for the choice of wordings. */
  readonly place: string
  readonly shared: Shared
}

/** What all texts of one prompt share while it is compiled. */
export interface Shared {
  readonly report: Report
  readonly formats: ReadonlyMap<string, Format>
  readonly artefacts: Artefacts
  /** Whether the texts of used snippets are left out. */
  readonly leavesUsed: boolean
  /** Local slots taken so far: loop items and positions. */
  locals: number
  uses: number
  /** Counts what differs from rendering to rendering: if it is unchanged for a text, the text is written once. */
  varying: number
  /** What the turn under way draws on. */
  draws: Draws
  /** The fences that are written somewhere, by the names of their tags. */
  fences: Set<string>
  /** Whether untrusted free text is written without a fence. */
  untrusted: boolean
  /** Where a text names the tag of a fence: `{fence.note}`. */
  readonly mentions: { readonly name: string; readonly span: Span }[]
  /** The declared orders of fields that come out in writing: of records and tables that are written whole. */
  readonly orders: Set<string>
  /** Whether fixed text leaves a tag open that a value could finish. */
  openEnd: boolean
}

/**
 * Compiles a text that becomes a value, and tells what is in it: whether it holds fences, and whether it writes untrusted free text without
 * one, so that the value is untrusted, too.
 */
export function compileValueText<T>(
  shared: Shared,
  compile: () => T,
): { readonly compiled: T; readonly holdsFences: boolean; readonly untrusted: boolean } {
  const { fences, untrusted } = shared
  shared.fences = new Set()
  shared.untrusted = false
  const compiled = compile()
  const own = { fences: shared.fences, untrusted: shared.untrusted }
  for (const name of own.fences) fences.add(name)
  shared.fences = fences
  shared.untrusted = untrusted || own.untrusted
  return { compiled, holdsFences: own.fences.size > 0, untrusted: own.untrusted }
}

/** What is written here depends on more than variables. */
export function drawsOnMore(shared: Shared): void {
  shared.varying++
  shared.draws.more = true
}

/** What `use` can write; the library gives it. */
export interface Artefacts {
  snippet(name: string): { readonly variables: readonly Declared[]; readonly text: Text } | undefined
  readonly snippetNames: readonly string[]
  /** `use persona`, `use examples`, `use output`: an op that writes the text in open form, or undefined where that was reported. */
  special(use: Use, context: Context): Op | undefined
}

/** A value that a text may hand on: to a slot, a loop, a snippet. */
export interface CompiledValue {
  readonly type: ValueType
  readonly optional: boolean
  /** Whether it, or something within it, is untrusted. */
  readonly untrusted: boolean
  /** Whether it is untrusted as a whole, and not only fields that its type marks. */
  readonly wholly: boolean
  readonly get: Get
  readonly path: readonly (string | { readonly loop: number })[]
  readonly literal?: string | number | boolean
}

export function textOrigin(context: Context, span: Span, more: Partial<TextOrigin> = {}): TextOrigin {
  return { kind: context.kind, span, via: context.via, fromValue: false, ...more }
}
