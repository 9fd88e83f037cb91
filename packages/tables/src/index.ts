export { caseRows, type CaseReading } from './case-rows.js'
export { csvTable, CsvRows, headingsOf } from './csv.js'
export {
  beginningOf,
  decoded,
  Encoding,
  wholeCharacters,
  type Beginning,
  type Bytes,
  type DecodeOptions,
  type ByteText,
  type TextChunk,
} from './decode.js'
export { JsonLines } from './json-lines.js'
export { Misread, unreadable } from './misread.js'
export {
  readTextList,
  readTextTable,
  TEXT_FORMATS,
  textFormatOf,
  type ListFormat,
  type TextFormat,
  type TextTableOptions,
} from './read-table.js'
export { RecordRows, recordsTable, type RecordsOptions } from './records.js'
export { delimiterOf, RowScanner, type ScanOptions } from './scan.js'
export type { ListItems, Row, TableRows } from './table.js'
