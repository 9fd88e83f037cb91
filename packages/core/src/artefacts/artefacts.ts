import type { Label } from '../values/labels.js'
import type { PersonalSettings } from '../values/personal/detector.js'
import type { AuditModel } from './audit.js'
import type { ScreenModel } from './screens.js'
import type { PickRule } from '../examples/picker.js'
import type { JsonSchema } from '../interop/to-schema.js'
import type { Source, Span } from '../source/source.js'
import type { Condition, LoopHead, SlotValue, Text } from '../text/nodes.js'
import type { TableFormat } from './batch.js'
import type { Declared, ValueType } from '../values/types.js'

/** Who speaks in a turn. */
export type Role = 'system' | 'user' | 'assistant'

/** What every artefact has. */
export interface Artefact {
  readonly name: string
  readonly file: Source
  /** Where problems of the whole artefact point: its first key. */
  readonly span: Span
  /** The content of its file, as plain data: for fingerprints. */
  readonly content: unknown
}

/** A renderable artefact. With `basedOn` it is only the content of its own file, until the library joins it with its base. */
export interface PromptModel extends Artefact {
  readonly kind: 'prompt'
  readonly title: string
  readonly about: string | undefined
  readonly tags: readonly string[]
  readonly basedOn: Named | undefined
  readonly bind: readonly Bound[]
  readonly replace: readonly { readonly name: string; readonly span: Span; readonly turn: TurnModel }[]
  readonly addTurns: readonly TurnModel[]
  /** Variables of the base that are no longer taken. */
  readonly without: readonly Named[]
  readonly variables: readonly Declared[]
  readonly turns: readonly TurnModel[]
  readonly persona: Text | undefined
  readonly output: Text | undefined
  readonly locale: Text | undefined
  /** Paths to values that are replaced by placeholders wherever they appear: `item.donor`. */
  readonly personal: readonly Named[]
  /** Fields that the texts mention and do not insert, on purpose: `item.donor`. */
  readonly onlyMentioned: readonly Named[]
  /** Whether a service offers it as a tool that models may call. */
  readonly isTool: boolean
  /** Whether callers of a service may supply free text that is not declared untrusted. */
  readonly isTrusted: boolean
  readonly settings: Readonly<Record<string, unknown>>
}

/** A prompt with everything from its bases. */
export interface JoinedPrompt extends Omit<PromptModel, 'bind' | 'replace' | 'addTurns' | 'without'> {
  readonly bind: readonly { readonly declared: Declared; readonly text: Text }[]
  /** Declarations of bases that this prompt, or one between, dropped or replaced: where texts of the base miss them, that is why. */
  readonly changed: readonly { readonly name: string; readonly dropped: boolean; readonly span: Span }[]
}

export interface Named {
  readonly name: string
  readonly span: Span
}

/** A variable of the base that gets a text. */
export interface Bound extends Named {
  readonly text: Text
}

interface TurnCommon {
  readonly name: string | undefined
  readonly span: Span
}
export interface TextTurn extends TurnCommon {
  readonly kind: 'text'
  readonly role: Role
  readonly text: Text
  readonly attach: readonly Attachment[]
}
/** The attachment of a turn: a value, or a file of the library by its path below the library's folder. */
export type Attachment = { readonly as: 'text' | 'file' | undefined; readonly span: Span } & (
  { readonly kind: 'value'; readonly value: SlotValue } | { readonly kind: 'path'; readonly path: string }
)
export interface HistoryTurn extends TurnCommon {
  readonly kind: 'history'
  readonly from: Named
  readonly fence: Named | undefined
  /** The most exchanges, and the most tokens, that are kept: the latest ones. */
  readonly last?: number | undefined
  readonly budget?: number | undefined
}
export interface ExamplesTurn extends TurnCommon {
  readonly kind: 'examples'
  readonly set: Named
  /** What cases are likened to, where it is not the live ask side. */
  readonly to: Text | undefined
}
export interface InputTurn extends TurnCommon {
  readonly kind: 'input'
  readonly set: Named
  /** Whether an answer is begun with the fixed beginning of the set's answer layout. */
  readonly begins: boolean
  readonly with: readonly { readonly name: string; readonly span: Span; readonly text: Text }[]
}
/** Turns repeated for every item of a list. */
export interface EachTurn extends TurnCommon {
  readonly kind: 'each'
  readonly head: LoopHead
  readonly turns: readonly TurnModel[]
}
export type TurnModel = TextTurn | HistoryTurn | ExamplesTurn | InputTurn | EachTurn

/** Whether rendering it counts tokens. */
export function countsTokens(model: PromptModel | ExampleSetModel): boolean {
  if (model.kind === 'example set') return model.pick.budget !== undefined
  return ownTurns(model).some((turn) => turn.kind === 'history' && turn.budget !== undefined)
}

/** All turns, those that are repeated too. */
export function* allTurns(turns: readonly TurnModel[]): Generator<TurnModel> {
  for (const turn of turns) {
    yield turn
    if (turn.kind === 'each') yield* allTurns(turn.turns)
  }
}

/** The turns in a prompt's own file: its own, those added to its base's and those that replace some of them. */
export function ownTurns({ turns, addTurns, replace }: PromptModel): TurnModel[] {
  return [...allTurns([...turns, ...addTurns, ...replace.map((item) => item.turn)])]
}

export interface SnippetModel extends Artefact {
  readonly kind: 'snippet'
  readonly variables: readonly Declared[]
  readonly text: Text
}

export interface PersonaModel extends Artefact {
  readonly kind: 'persona'
  readonly title: string | undefined
  readonly who: string
  readonly traits: Readonly<Record<'voice' | 'always' | 'never', readonly string[]>>
  readonly layout: Text
  /** Whether the layout is Dunelight's own. */
  readonly standard: boolean
}

export interface ExampleSetModel extends Artefact {
  readonly kind: 'example set'
  readonly title: string | undefined
  readonly fields: readonly Declared[]
  readonly input: Text
  /** The answer's layout; `output`: the form of the prompt's output. */
  readonly expected: Text | 'output'
  readonly cases: readonly ExampleCase[]
  /** The table that gives further cases, as a path below the library's folder. */
  readonly from: { readonly path: string; readonly span: Span } | undefined
  readonly pick: PickRule
  readonly pickSpan: Span
}
export interface ExampleCase {
  readonly number: number
  readonly values: Readonly<Record<string, unknown>>
  readonly span: Span
}

/** How the instruction of an output is written. */
export const SHOWS = ['skeleton', 'description', 'json-schema', 'none'] as const
export type Show = (typeof SHOWS)[number]

interface OutputCommon extends Artefact {
  readonly kind: 'output'
  readonly title: string | undefined
  readonly about: string | undefined
  readonly basedOn: Named | undefined
  readonly show: Show | undefined
  /** Texts that every reply must contain, and those that none may. */
  readonly mustSay: readonly Text[]
  readonly mustNotSay: readonly Text[]
  readonly whole?: WholeModel | undefined
  /** Bounds that are slots: known when a prompt is rendered. */
  readonly slots: readonly BoundSlot[]
}
/** What an answer keeps to as a whole: citations, and words of all parts but some. */
export interface WholeModel {
  readonly cites: Named | undefined
  readonly minWords: number | undefined
  readonly maxWords: number | undefined
  readonly notCounting: readonly Named[]
}
/** A bound of a field that is a text, `{words}`. */
export interface BoundSlot {
  /** The field, by the names that lead to it; none for the count of rows. */
  readonly path: readonly string[]
  readonly bound: string
  readonly text: Text
}
/** Data fields. */
export interface FieldsModel extends OutputCommon {
  readonly form: 'fields'
  readonly fields: readonly Declared[]
  /** The JSON Schema of such a file, whether the fields express all of it, and whether it is valid. */
  readonly schema: { readonly whole: boolean; readonly isValid: boolean; readonly content: JsonSchema } | undefined
}
/** One label of a set. */
export interface OneOfModel extends OutputCommon {
  readonly form: 'one-of'
  /** The name of the label in an answer: `label` where none is given. */
  readonly field?: string | undefined
  readonly of: readonly string[]
  /** What the labels mean, if the file explains any. */
  readonly labels?: readonly Label[]
  /** The field of an example set whose labels they are. */
  readonly from: { readonly set: Named; readonly field: Named } | undefined
}
/** The name of the label in an answer. */
export function labelField({ field, from }: OneOfModel): string {
  return field ?? from?.field.name ?? 'label'
}
/** A line pattern, repeated. */
export interface RowsModel extends OutputCommon {
  readonly form: 'rows'
  readonly row: Text | undefined
  readonly min: number | undefined
  readonly max: number | undefined
}
/** Fixed text, values and passages to be written. */
export interface DocumentModel extends OutputCommon {
  readonly form: 'document'
  readonly text: Text | undefined
}
export type OutputModel = FieldsModel | OneOfModel | RowsModel | DocumentModel

/** The texts of the language in an output. */
export function textsOfOutput(output: OutputModel): Text[] {
  const own = output.form === 'rows' ? output.row : output.form === 'document' ? output.text : undefined
  return [...(own ? [own] : []), ...output.mustSay, ...output.mustNotSay, ...output.slots.map((slot) => slot.text)]
}

/** How one of several candidates of a part is chosen: the first valid one, by a person, or by the scores of a prompt. */
export type Choosing = 'first' | 'person' | { readonly prompt: Named }

/** One of the prompts of an assembly: which prompt, how often it is asked, and with what. */
export interface PartModel extends Named {
  readonly prompt: Named
  readonly candidates: number
  /** Whether candidates that are nearly the same are asked for again. */
  readonly distinct: boolean
  readonly choose: Choosing
  /** Variables of the prompt that get a value of the assembly, or the answer of another part. */
  readonly with: readonly { readonly name: Named; readonly value: SlotValue; readonly span: Span }[]
  /** Variables of the prompt that get a constant. */
  readonly set: readonly { readonly name: string; readonly span: Span; readonly value: unknown }[]
  readonly each: LoopHead | undefined
  /** The condition is undefined if it could not be read. */
  readonly when: { readonly condition: Condition | undefined; readonly span: Span } | undefined
  readonly otherwise: SlotValue | undefined
}

/** Several prompts whose answers become one document. */
export interface AssemblyModel extends Artefact {
  readonly kind: 'assembly'
  readonly title: string
  readonly about: string | undefined
  readonly tags: readonly string[]
  readonly variables: readonly Declared[]
  readonly parts: readonly PartModel[]
  /** The document. Without one, the answer of the last part is the result. */
  readonly text: Text | undefined
}

/** A condition of the language in a batch. */
export interface BatchCondition {
  readonly condition: Condition
  readonly span: Span
}
/** A table that a batch reads. */
export interface TableModel {
  /** Below the library's folder. */
  readonly path: string
  readonly span: Span
  /** The name that its rows have. */
  readonly as: string | undefined
  readonly format: TableFormat | undefined
  readonly sheet: string | undefined
  readonly query: string | undefined
  readonly encoding: string | undefined
}
export interface JoinModel extends TableModel {
  readonly as: string
  readonly where: BatchCondition
  /** Whether a record gets all rows that match, as a list. */
  readonly many: boolean
  /** The one column that is taken of a row, in place of all. */
  readonly of: string | undefined
}
/** A batch's entry for one column: its heading, its type, or both. */
export interface ColumnModel {
  readonly heading: string | undefined
  readonly type: ValueType | undefined
  readonly span: Span
}
/** A batch as in its file: which prompt is rendered for which records, and where they go. */
export interface BatchModel extends Artefact {
  readonly kind: 'batch'
  readonly title: string | undefined
  readonly about: string | undefined
  readonly prompt: Named | undefined
  readonly records: TableModel | undefined
  readonly join: readonly JoinModel[]
  readonly keep: BatchCondition | undefined
  /** By the path of a variable or field. */
  readonly columns: ReadonlyMap<string, ColumnModel>
  /** Values that are the same for all records. */
  readonly set: Readonly<Record<string, unknown>>
  readonly setSpans: ReadonlyMap<string, Span>
  /** The text that names each record. */
  readonly called: Text | undefined
  readonly take: number | undefined
  readonly sample: { readonly count: number; readonly seed: number } | undefined
  /** Decides between the wordings of `vary`. */
  readonly seed: number | undefined
  readonly to: { readonly path: string; readonly span: Span; readonly text: Text } | undefined
  readonly envelope: Named | undefined
  /** Whether tokens are counted. */
  readonly tokens: boolean
  /** Whether cells that a spreadsheet would run as formulas are written unchanged. */
  readonly rawCells: boolean
  /** Lists of the answer that become rows, and records that become columns: `answer.rows`. */
  readonly flatten: readonly string[]
  /** Whether a run that asks keeps the turns that it sent. */
  readonly keepTurns: boolean
  /** How many tokens all prompts together may have. */
  readonly budget: number | undefined
  readonly send: readonly { readonly when: BatchCondition; readonly path: string; readonly span: Span }[]
}

/** A JSON value in which texts with slots stand. */
export type Shape =
  | { readonly kind: 'keys'; readonly entries: readonly (readonly [key: string, value: Shape])[] }
  | { readonly kind: 'list'; readonly items: readonly Shape[] }
  | { readonly kind: 'text'; readonly text: Text }
  | { readonly kind: 'data'; readonly data: unknown }

export interface EnvelopeModel extends Artefact {
  readonly kind: 'envelope'
  readonly title: string | undefined
  readonly about: string | undefined
  readonly line: Shape | undefined
  readonly turn: Shape | undefined
  readonly roles: Readonly<Record<Role, string>>
}

export interface Limits {
  readonly nesting: number
  readonly repeats: number
  readonly renderingBytes: number
  readonly attachmentBytes: number
  /** How long a reply may be that is read, in characters. */
  readonly replyCharacters: number
  /** Items, and runs of 32 characters, that formats and conditions of one rendering may go through. */
  readonly steps: number
  readonly aliases: number
}
export const DEFAULT_LIMITS: Limits = {
  nesting: 100,
  repeats: 100_000,
  renderingBytes: 4 * 1024 * 1024,
  attachmentBytes: 20 * 1024 * 1024,
  replyCharacters: 4 * 1024 * 1024,
  steps: 5_000_000,
  aliases: 100,
}

/** dunelight.yaml */
export interface LibraryModel {
  /** What approvals and channels name the library by: random, and made once. */
  readonly id: string | undefined
  /** What is recorded of everything that is asked; undefined where nothing is. */
  readonly audit: AuditModel | undefined
  readonly title: string | undefined
  readonly locale: string | undefined
  readonly settings: Readonly<Record<string, unknown>>
  /** Checks requests to models and their replies. */
  readonly screens: readonly ScreenModel[]
  /** Whether the tags of fences end in digits of the rendering's own. */
  readonly nonce: boolean
  readonly personal: PersonalSettings
  readonly limits: Limits
}
