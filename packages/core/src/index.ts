// One call
export { libraryFrom, Library, type AnyPrompts, type LibraryOptions } from './library/library.js'
export { makeLibrary, type WrittenLibrary } from './code/library.js'
export { makeExampleSet, makeOutput, makePersona, makePrompt, makeSnippet } from './code/make.js'
// Staged
export type { AnyValues, Prompt } from './library/prompt.js'
export type { CheckedReply, FinishedTurn, Rendering, RenderOptions } from './library/rendering.js'
export type { PreparedValues } from './library/prepared-values.js'
export type { PromptRows } from './library/prompt-rows.js'
export type { Turn } from './render/render.js'
export type { Origin, Within } from './render/origins.js'
export type { OriginKind } from './render/trace.js'
export type { Role } from './artefacts/artefacts.js'
export { attachedFiles, caseTables, FOLDERS, KeptFiles, readShelf, type Shelf } from './artefacts/read.js'
export {
  DEFAULT_LIMITS,
  type BatchModel,
  type EnvelopeModel,
  type JoinModel,
  type Limits,
  type OutputModel,
  type TableModel,
} from './artefacts/artefacts.js'
// Problems
export { printProblem, frame, plainPaint, type Paint } from './problems/frame.js'
export {
  problem,
  ProblemError,
  problemRecord,
  sentence,
  type Problem,
  type ProblemCode,
  type ProblemRecord,
  type Report,
} from './problems/problem.js'
export { contained, internalError } from './problems/contained.js'
export { defined } from './invariant.js'
export { registry } from './problems/registry.js'
export { nearest } from './problems/suggest.js'
// Parts
export { Source, type Place, type Span } from './source/source.js'
export { parseText, type ParseOptions } from './text/parse.js'
export { printText } from './text/print.js'
export type { Text } from './text/nodes.js'
export { passagesIn } from './text/passages.js'
export { DIRECTIVES } from './text/directives/index.js'
export { FORMATS } from './values/formats/index.js'
export type { Argument, Format, Parameter, Setting } from './values/formats/format.js'
export { cellText, readCell } from './values/cells.js'
export { readWrittenDate } from './values/written-dates.js'
export { describe, type Declared, type ValueType } from './values/types.js'
export { artefactFile, memberKey, type LibraryGraph, type Link, type Member, type MemberKind } from './library/graph.js'
export type { FilePart, Part, TextPart } from './render/parts.js'
export { readDataUri, type FileValue } from './values/files.js'
export { tokensOf, type Token, type TokenKind } from './text/tokens.js'
export { textsIn, type FileTexts } from './library/texts-in.js'
export type { LibraryInput } from './code/documents.js'
export type {
  ExampleSetDefinition,
  ExampleSetInput,
  OutputDefinition,
  OutputInput,
  PersonaDefinition,
  PersonaInput,
  PromptDefinition,
  PromptInput,
  PromptTypes,
  SnippetDefinition,
  SnippetInput,
  TurnInput,
  TypesOf,
  Wrong,
} from './code/definitions.js'
export type { Declaration, Declarations, HistoryEntry, ValuesOf } from './values/declarations.js'
export { Form, type CallSchema, type ReadOptions, type Reply } from './outputs/form.js'
export type { AnswerColumn } from './outputs/columns.js'
export type { FinishedDocument } from './outputs/document/document.js'
export type { Validator } from './library/outputs.js'
export type { CheckData, SchemaFinding } from './outputs/shape.js'
export { printTypes } from './code/print-types.js'
export { schemaOf, type JsonSchema, type SchemaOptions } from './interop/to-schema.js'
export { variablesFromSchema } from './interop/from-schema.js'
export type { CaseRows } from './library/case-rows.js'
export type { PreparedSet } from './compile/example-set.js'
export { Picker, type Likeness, type Picked, type PickedCase, type PickRule } from './examples/picker.js'
export { STRATEGIES } from './examples/pick/index.js'
export { alikePairs, nearestPairs, type Pair } from './examples/pairs.js'
export type { SetPick } from './render/run.js'
export { leaveOneOut, type LeaveOneOut } from './examples/leave-one-out.js'
export { exactNumber, parseJson } from './values/json.js'
export { isDeeper } from './values/data.js'
export { foldHeading, type Column, type RowShape } from './values/row.js'
export { Batch, batchModel, batchOf, plainBatch, type BatchOptions, type ReadyJoin } from './batches/batch.js'
export { Fit, type FitReport, type FittedVariable } from './batches/fit.js'
export { promptTokens, type Line, type LineOptions, type LineWriter } from './batches/line.js'
export type { Pool } from './batches/pool.js'
export type { BatchRecord, BatchRows } from './batches/rows.js'
export { readAmount, TABLE_FORMATS, type TableFormat } from './artefacts/batch.js'
export { countedByLines } from './batches/counted-by-lines.js'
export { TOKEN_ENCODINGS, type TokenEncoding } from './artefacts/settings.js'
export { BESIDE } from './artefacts/read.js'
export { EnvelopeWriter } from './batches/envelope.js'
export { byteList, bytesOf } from './render/render.js'
export { STAND_IN, type ModelDescription, type ModelList } from './artefacts/models.js'
export {
  inventor,
  madeUpUsage,
  MISBEHAVIOURS,
  standIn,
  type MadeUp,
  type Misbehaviour,
  type Question,
  type StandInOptions,
} from './asking/stand-in.js'
export { settledCase } from './library/settled-case.js'
export { Screens, type ScreenFinding } from './asking/screens.js'
export { wordsIn } from './values/words.js'
export type { ScreenModel } from './artefacts/screens.js'
export { ModelFault, type Finish, type Model, type ModelAnswer, type ModelRequest, type Usage } from './asking/port.js'
export { jsonBytes, utf8Bytes } from './render/json-bytes.js'
