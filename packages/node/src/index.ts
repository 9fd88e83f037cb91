export { openLibrary, reason } from './open-library.js'
export { readCsv, type CsvRows } from './csv.js'
export { readRecords, type RecordRow, type RecordsOptions } from './records.js'
export { renderTable, type SetAside, type TableOptions, type TableReport } from './render-table.js'
