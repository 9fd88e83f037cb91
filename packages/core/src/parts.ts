// For tools that work on libraries: the parser and printer of the text language, pickers, schemas, positions.
export type { PromptRows } from './library/prompt-rows.js'
export type { Within } from './render/origins.js'
export type { OriginKind } from './render/trace.js'
export { frame } from './problems/frame.js'
export { type Place, Source, type Span } from './source/source.js'
export { type ParseOptions, parseText } from './text/parse.js'
export { printText } from './text/print.js'
export type { Text } from './text/nodes.js'
export { passagesIn } from './text/passages.js'
export { DIRECTIVES } from './text/directives/index.js'
export { FORMATS } from './values/formats/index.js'
export type { Argument, Format, Parameter, Setting } from './values/formats/format.js'
export { cellText, readCell } from './values/cells.js'
export { readWrittenDate } from './values/written-dates.js'
export { type Declared, describe, type ValueType } from './values/types.js'
export { type LibraryGraph, type Link, type Member, memberKey, type MemberKind } from './library/graph.js'
export type { FilePart, TextPart } from './render/parts.js'
export { readDataUri } from './values/files.js'
export { type Token, type TokenKind, tokensOf } from './text/tokens.js'
export { type FileTexts, textsIn } from './library/texts-in.js'
export type { LibraryInput } from './code/documents.js'
export type {
  AssemblyInput,
  ExampleSetInput,
  OutputInput,
  PartInput,
  PersonaInput,
  PromptInput,
  PromptTypes,
  SnippetInput,
  TurnInput,
  Wrong,
} from './code/definitions.js'
export type { Declaration, Declarations, HistoryEntry } from './values/declarations.js'
export type { CallSchema, ReadOptions } from './outputs/form.js'
export { type Paint, plainPaint } from './problems/frame.js'
export type { AnswerColumn } from './outputs/columns.js'
export type { Validator } from './library/outputs.js'
export type { CheckData, SchemaFinding } from './outputs/shape.js'
export { printTypes } from './code/print-types.js'
export { type JsonSchema, schemaOf, type SchemaOptions } from './interop/to-schema.js'
export { variablesFromSchema } from './interop/from-schema.js'
export { type Likeness, type Picked, type PickedCase, Picker, type PickRule } from './examples/picker.js'
export { STRATEGIES } from './examples/pick/index.js'
export type { SetPick } from './render/run.js'
