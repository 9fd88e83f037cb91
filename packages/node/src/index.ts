export { openLibrary, readLibraryFolder, readLibraryTexts, type LibraryFolder, type OpenOptions } from './open-library.js'
export { markOfText, saveText, type Saved } from './save-text.js'
export { openLibraryFor } from './open-for.js'
export { readFileValue, type FileOptions } from './file-value.js'
export { reason } from './reason.js'
export { formatOf, readList, readTable, type TableFile, type TableSource } from './sources/open-table.js'
export { narrow } from './sources/narrow.js'
export { Misread, readTextTable, textFormatOf, type Row, type TableRows } from '@dunelight/tables'
export { readAnswers, type AnsweredChunk, type AnsweredRecord, type AnswersOptions } from './read-answers.js'
export { writeDocument, DOCUMENT_ENDINGS, type DocumentEnding } from './write-document.js'
export { readPools, readRecords, RecordMaker, tableFile, type RecordChunk, type RecordsOptions } from './sources/records.js'
export { BlockMaker, type Aside, type Block } from './batches/block.js'
export { renderTable, type Sink, type TableOptions, type TableReport } from './render-table.js'
export { compareTable, type CompareOptions, type Comparison } from './compare-table.js'
export { readCaseRows } from './case-tables.js'
export { appendCases, type AddedCase } from './append-cases.js'
export { filesThatItSets } from './batches/own-files.js'
export {
  readyBatch,
  runBatch,
  resumeRun,
  libraryOf,
  type ResumeOptions,
  type RunListener,
  type RunOptions,
  type RunProgress,
  type RunResult,
} from './batches/run-batch.js'
export { listRuns, readRun, type ListedRun, type RunFile, type RunState } from './batches/run-file.js'
export { tokenCounter } from './tokens.js'
export { replaceFile, WriteFault, writeNew } from './output/files.js'
export { REDACTED, Secrets, secrets } from './output/secrets.js'
export { visible } from './output/terminal.js'
export { fileName } from './output/file-names.js'
export type { TallyState } from './batches/tally.js'
export { doubtText, ROW_ENDINGS, rowWriting, type FinishedRow, type RowWriting } from './answers/finished-row.js'
export { askBatch, resumeAsking, type AskOptions } from './asking/ask-batch.js'
export type { AskListener, AskProgress, AskResult } from './asking/ask-run.js'
export { Picking, type Candidate, type PickDeed, type PickDone, type PickedRecord, type PickOptions } from './picking/picking.js'
export { nearlyTheSame } from './answers/likeness.js'
export { askOnce, type AskOnceOptions } from './asking/ask-once.js'
export type { Answered } from './asking/question.js'
export {
  comparedRows,
  comparedSections,
  compareAnswers,
  type AnswerComparison,
  type ComparedSide,
  type LabelAgreement,
} from './asking/compare-answers.js'
export { openWithWording, type OtherWording } from './asking/other-wording.js'
export { toHtml, toMarkdown, type Report } from './batches/report-layout.js'
export { readyModel, type ReadyModel } from './asking/ready-model.js'
export { httpModel } from './asking/http-model.js'
export { AnswerLog, type KeptAnswer } from './asking/answer-log.js'
export { Asker, NotAsked, USUAL_RULES, type AskingRules } from './asking/asker.js'
export { serveStandIn, type StandInServer } from './asking/stand-in-server.js'
export { estimateOf } from './asking/ask-report.js'
export type { AskCounts } from './asking/ask-counts.js'
