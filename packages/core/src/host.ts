// For the packages beside the core. It may change with any version.
export { attachedFiles, OTHER_FOLDERS, caseTables, FOLDERS, FileCache, readLibraryFiles, type LibraryFiles } from './artefacts/read.js'
export {
  DEFAULT_LIMITS,
  type EnvelopeModel,
  type JoinModel,
  type Limits,
  type OutputModel,
  type TableModel,
} from './artefacts/artefacts.js'
export { problem, type Report, sentence } from './problems/problem.js'
export { contained, internalError } from './problems/contained.js'
export { defined } from './invariant.js'
export { registry } from './problems/registry.js'
export { nearest } from './problems/suggest.js'
export { needsValidator } from './library/outputs.js'
export { artefactFile, graphOf } from './library/graph.js'
export type { AuditModel } from './artefacts/audit.js'
export { canonical, contentTexts, hashOf, sharedOf } from './library/fingerprint.js'
export type { CaseRows } from './library/case-rows.js'
export type { PreparedSet } from './compile/example-set.js'
export { exactNumber, parseJson } from './values/json.js'
export { isDeeper } from './values/data.js'
export { NoSample, sampleValue } from './outputs/sample/values.js'
export { SampleRandom } from './outputs/sample/random.js'
export { isFreeText } from './values/types.js'
export { type Column, foldHeading, type RowShape } from './values/row.js'
export { type FileColumn, fileColumns, holdsFiles, pathsInCell } from './values/file-cells.js'
export { Batch, batchOf, type BatchOptions, plainBatch, type PlainNames, type ReadyJoin } from './batches/batch.js'
export { type Line, type LineOptions, type LineWriter, promptTokens, turnTokens } from './library/line.js'
export type { Pool } from './batches/pool.js'
export type { BatchRecord, BatchRows } from './batches/rows.js'
export { FirstRows } from './batches/id-heading.js'
export { readAmount } from './artefacts/amounts.js'
export { countsTokens } from './artefacts/artefacts.js'
export { TABLE_FORMATS, type TableFormat } from './artefacts/batch.js'
export { countedByLines } from './batches/counted-by-lines.js'
export { TOKEN_ENCODINGS, type TokenEncoding } from './artefacts/settings.js'
export { EnvelopeWriter } from './library/envelope.js'
export { byteList, bytesOf } from './render/render.js'
export { type ModelDescription, type ModelList, MOCK_MODEL } from './artefacts/models.js'
export {
  mockReplies,
  type MockReply,
  mockUsage,
  type MockFault,
  MOCK_FAULTS,
  type Question,
  mockModel,
  type MockOptions,
} from './asking/mock.js'
export { acceptedCase } from './library/accepted-case.js'
export { type ScreenFinding, Screens, ScreenStop } from './asking/screens.js'
export { likeness, NEARLY_THE_SAME } from './values/likeness.js'
export { sendScope } from './library/send.js'
export { attachmentTokens } from './render/attachment-tokens.js'
export { columnOfPath } from './outputs/columns.js'
export { endedNow } from './outputs/ended-now.js'
export { wordsIn } from './values/words.js'
export type { ScreenModel } from './artefacts/screens.js'
export type { Finish, Usage } from './asking/port.js'
export { jsonBytes, utf8Bytes } from './render/json-bytes.js'
export { alikePairs, nearestPairs, type Pair } from './examples/pairs.js'
export { leaveOneOut, type LeaveOneOut } from './examples/leave-one-out.js'
export { Fit, type FitReport, type FittedJoin, type FittedVariable } from './batches/fit.js'
export { DEFAULT_PERSONAL, PersonalDetector, type PersonalSettings } from './values/personal/detector.js'
export { restorePlaceholders } from './values/personal/placeholders.js'
export { type Answering, askAssembly, candidatesOf, partFailed, valueOf } from './library/ask-assembly.js'
export { usageOf } from './library/ask-prompt.js'
export { exchange, type Exchanged, textsOf } from './library/exchange.js'
export { answerOf } from './outputs/answer-type.js'
export { DistinctTexts } from './values/distinct.js'
export { plainMarkdown } from './library/markdown.js'
export type { OriginText } from './library/markdown.js'
export type { PartPlan } from './compile/assembly.js'
export { type AssemblyPreview, previewAssembly } from './library/assembly-preview.js'
export { defuseText } from './render/defuse.js'
