export { openLibrary, type OpenOptions } from './open-library.js'
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
export { countedByLines, tokenCounter } from './tokens.js'
export { WriteFault } from './batches/ledger.js'
export type { TallyState } from './batches/tally.js'
