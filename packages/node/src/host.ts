// For the command and the pages. It may change with any version.
export { type LibraryFolder, readLibraryFolder, readLibraryTexts } from './library/open-library.js'
export { markOfText, type Saved, saveText } from './library/save-text.js'
export { filesThatItSets } from './library/set-files.js'
export { readCaseRows } from './sources/case-tables.js'
export { reason } from './output/reason.js'
export { replaceFile, WriteFault, writeNew } from './output/files.js'
export { REDACTED, Secrets, secrets } from './output/secrets.js'
export { csvCells, safeCell } from './output/cells.js'
export { spreadsheet } from './output/spreadsheet.js'
export { visible } from './output/terminal.js'
export { fileName } from './output/file-names.js'
export { formatOf, readList } from './sources/open-table.js'
export { byteText } from './sources/byte-text.js'
export { Misread, readTextTable, type Row, type TableRows, textFormatOf } from '@dunelight/tables'
export {
  readPools,
  readRecords,
  type RecordChunk,
  RecordMaker,
  recordsOf,
  type RecordsOptions,
  tableFile,
  withNames,
} from './sources/records.js'
export { libraryOf, type ReadListener, readyBatch, type RunOptions, wordingOfRun } from './runs/begin.js'
export type { Counts } from './runs/counts.js'
export { countsOfTable, type TableCounts } from './runs/count-table.js'
export { work } from './runs/engine.js'
export type { Outcome } from './runs/outcome.js'
export { type Report, escapeHtml, formatNumber, reportPath, toHtml, toMarkdown } from './runs/report-layout.js'
export type { RunState } from './runs/run-file.js'
export { KnownIds } from './runs/known-ids.js'
export { Selection } from './runs/selection.js'
export { doSteps } from './runs/step.js'
export { type RunStream, RunStreams, type Sink } from './runs/streams.js'
export { renderStep } from './render/render-step.js'
export { LINES } from './render/output-form.js'
export type { RenderCounts } from './render/render-counts.js'
export type { RenderRun } from './render/render-run.js'
export { noteSecrets } from './models/http-model.js'
export { type QueueListener, ModelQueue, ModelUnreachable, type RequestLimits, RequestCancelled } from './models/model-queue.js'
export { type Asking, type AskRun, isAskRun } from './ask/ask-run.js'
export type { AskListener } from './ask/ask-task.js'
export type { AskCounts } from './ask/ask-counts.js'
export { costOf, estimateOf } from './ask/ask-report.js'
export { type AskedRecord, askedFor, keepAsked } from './ask/asked-log.js'
export { AnswerLog, type CachedAnswer } from './ask/answer-log.js'
export { type Answered, type Answering, cachedAnswer, fingerprintOf, Questions, type QuestionSource } from './ask/question.js'
export { Pieces, type TextPiece } from './ask/pieces.js'
export { loneBatch, loneRecord } from './ask/lone-batch.js'
export {
  unsupportedText,
  type FinishedRow,
  isMockMark,
  readEnding,
  rowCells,
  ROW_ENDINGS,
  rowWriting,
  type RowWriting,
} from './replies/finished-row.js'
export { labelRouter, Router } from './replies/router.js'
export { nearlyTheSame } from './replies/likeness.js'
export { type AnsweredChunk, ReplyReader } from './replies/read-answers.js'
export type { ReadRepliesResult } from './replies/read-replies.js'
export { DOCUMENT_ENDINGS, type DocumentEnding } from './replies/write-document.js'
export { type AddedCase, appendCases } from './replies/append-cases.js'
export type { ReviewOptions, SettledRecord } from './review/review.js'
export type { ReviewAction, ReviewResult } from './review/decisions.js'
export type { Candidate } from './review/candidate.js'
export type { ReviewedRecord } from './review/subject.js'
export { partName } from './ask/part-questions.js'
export { finishedDocument } from './replies/answer-writing.js'
export {
  type AnswerComparison,
  compareAnswers,
  comparedRows,
  comparedSections,
  type ComparedSide,
  type LabelAgreement,
} from './compare/compare-answers.js'
export type { CompareOptions } from './compare/compare-table.js'
export { openWithWording, type OtherWording } from './compare/other-wording.js'
export { REJECTED_SCHEMA } from './runs/rejected-schema.js'
export { readableBytes } from './sources/encoding.js'
export { copyLibrary } from './library/new-library.js'
export { fileReader, foldersOf, readDocument, takesFiles } from './sources/file-cells.js'
export { type FileDifference, type RecordDifference, type RenderedDifference } from './editions/wording-diff.js'
export { Git } from './snapshots/git.js'
export {
  CHANNELS_FILE,
  channelsOf,
  editionsOf,
  objectOf,
  statementsAbout,
  type EditionsOf,
  type StoredEdition,
} from './snapshots/edition-folder.js'
export { chooseEdition, expiryOf, refuseUnapproved, trustedChannels } from './snapshots/choose-edition.js'
export type { ApproverOptions } from './snapshots/trust.js'
export { stateFolder } from './snapshots/state.js'
export { APPROVERS_FILE, trustedApprovers } from './snapshots/trust.js'
export { bytesText, sha256, textBytes } from './output/bytes.js'
export { PAGE_POLICY, pageFile } from './output/page-file.js'
export { LineWriter } from './output/line-writer.js'
export { append, appendTo } from './output/files.js'
export { alikeWords, renderedWords, sideWords, turnPairs, wordingReport } from './editions/wording-report.js'
export { pruneAnswers, pruneAudit } from './audit/prune-audit.js'
export { Lease } from './runs/lease.js'
export { newLibraryId, requiredId } from './snapshots/library-id.js'
