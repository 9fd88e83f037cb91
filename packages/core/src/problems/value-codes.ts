import { error, info, warning } from './code.js'
import { nearestOf, suggestion } from './suggest.js'

/** Problems with values, and limits of a rendering. */
export const valueCodes = {
  'value-missing': error<{ path: string }>(
    'A required variable or field has no value.',
    (d) => `"${d.path}" is missing`,
    () => 'pass a value, or declare it with optional: true or default:',
  ),
  'value-undeclared': error<{ name: string; known: readonly string[] }>(
    'A value has a name that the prompt does not declare.',
    (d) => `the prompt has no variable "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'variables'),
  ),
  'value-bound': error<{ name: string }>(
    'A variable bound by the prompt cannot get a value.',
    (d) => `"${d.name}" is bound by the prompt and cannot be set`,
  ),
  'value-invalid': error<{ path: string; expected: string; found: string; hint?: string | undefined }>(
    'A value does not match its declaration.',
    (d) => `"${d.path}" must be ${d.expected}, not ${d.found}`,
    (d) => d.hint,
  ),
  'value-bounds': error<{ path: string; detail: string }>(
    'A value is outside the bounds of its declaration.',
    (d) => `"${d.path}" ${d.detail}`,
  ),
  'step-not-found': error<{ path: string }>(
    'A path into an open record or a list finds nothing.',
    (d) => `there is nothing at "${d.path}"`,
    (d) => `write {${d.path} or "…"} if it may be absent`,
  ),
  'value-not-formattable': error<{ path: string; format: string; found: string }>(
    'A value of an open record has a type that the format does not take.',
    (d) => `the format "${d.format}" cannot write "${d.path}", which is ${d.found}`,
  ),
  'each-not-list': error<{ path: string; found: string }>(
    '"each" needs a list, and the value of an open record is not one.',
    (d) => `"each" cannot repeat for "${d.path}", which is ${d.found}`,
  ),
  'no-turn-left': error<object>('Every turn is empty.', () => 'every turn is empty'),
  'roles-repeat': warning<{ role: string }>(
    'Some models do not accept two consecutive turns of the same role.',
    (d) => `two consecutive ${d.role} turns`,
  ),
  'history-system': error<{ path: string }>('A history must not contain system turns.', (d) => `"${d.path}" contains a system turn`),
  'persona-unknown': error<{ name: string; known: readonly string[]; what: string }>(
    'A text that chooses a persona, output or locale gave an unknown name.',
    (d) => `unknown ${d.what} "${d.name}"`,
    (d) => suggestion(d.name, d.known, `${d.what}s`),
  ),
  'locale-unknown': error<{ name: string }>(
    'A locale is not a valid language tag.',
    (d) => `"${d.name}" is not a valid locale`,
    () => 'write a language tag such as de, en-GB or nb-NO',
  ),
  'repeats-over-limit': error<{ limit: number }>(
    'The number of repeats in one rendering is limited.',
    (d) => `more than ${d.limit} repeats in one rendering`,
    () => 'raise limits: { repeats: … } in dunelight.yaml, or render fewer items',
  ),
  'value-too-deep': error<{ path: string; limit: number }>(
    'A value is nested too deep, or contains itself.',
    (d) => `"${d.path}" is nested more than ${d.limit} deep`,
    () => 'pass only the part that the prompt needs',
  ),
  'steps-over-limit': error<{ limit: number }>(
    'The number of steps in one rendering is limited: nested loops over long lists multiply.',
    (d) => `the rendering needs more than ${d.limit} steps`,
    () => 'move what does not depend on the item out of the loop, render fewer items, or raise limits: { steps: … } in dunelight.yaml',
  ),
  'internal-error': error<{ cause: string; stack: string }>(
    'An unexpected exception: a bug in Dunelight, or in a format of your program. The record is rejected; the run continues.',
    (d) => `internal error: ${d.cause}`,
    () => 'this is a bug: report it with the problem’s data, which has the stack',
  ),
  'bytes-over-limit': error<{ limit: number }>(
    'The size of a rendering is limited.',
    (d) => `the rendering is larger than ${d.limit} bytes`,
    () => 'raise limits: { rendering-bytes: … } in dunelight.yaml, or pass less',
  ),
  'attachment-over-limit': error<{ name: string; size: number; limit: number }>(
    'The size of an attachment is limited.',
    (d) => `"${d.name}" has ${d.size} bytes, more than the limit of ${d.limit}`,
    () => 'raise limits: { attachment-bytes: … } in dunelight.yaml, or attach a smaller file',
  ),
  'attachment-without-text': error<{ name: string; mediaType: string }>(
    'A file is to be inserted as text and contains none.',
    (d) => `"${d.name}" (${d.mediaType}) contains no text`,
    () => 'attach it as a file, or extract its text first: readFileValue of @dunelight/node does so for PDF',
  ),
  'schema-not-convertible': error<{ path: string; why: string }>(
    'A JSON Schema uses a keyword that declarations cannot express.',
    (d) => `${d.path === 'the schema' ? d.path : `"${d.path}"`} cannot be converted to a declaration: ${d.why}`,
  ),
  'picked-few': warning<{ set: string; count: number; least: number; cut: number }>(
    'Fewer cases were picked than the set requires.',
    (d) => (d.count === 0 ? `no case of "${d.set}" was picked` : `only ${d.count} cases of "${d.set}" were picked, fewer than ${d.least}`),
    (d) => (d.cut > 0 ? `raise the budget: ${d.cut} cases did not fit into it` : undefined),
  ),
  'wordings-over-limit': error<{ limit: number }>(
    'The number of wordings is limited: several "vary" multiply.',
    (d) => `there are more than ${d.limit} wordings`,
  ),
  'prompt-unknown': error<{ name: string; known: readonly string[]; isAssembly?: boolean }>(
    'The library has no prompt of this name.',
    (d) => (d.isAssembly ? `"${d.name}" is an assembly, not a prompt` : `unknown prompt "${d.name}"`),
    (d) =>
      d.isAssembly
        ? 'assemblies are for ask, run, show, fit and review; or name one of its prompts'
        : suggestion(d.name, d.known, 'prompts'),
  ),
}

/** Problems with tables, batches and runs. */
export const tableCodes = {
  'heading-missing': error<{ variable: string; known: readonly string[] }>(
    'A required variable has no column.',
    (d) => `no column for "${d.variable}"`,
    (d) => suggestion(d.variable, d.known, 'columns'),
  ),
  'rows-rejected': info<{ table: string; rejected: number; rows: number; why: string }>(
    'A run would reject some rows of the table. The first 1,000 are tried.',
    (d) => `${d.rejected} of the first ${d.rows} rows of ${d.table} would be rejected; the first: ${d.why}`,
    () => 'dunelight fit shows all reasons',
  ),
  'rows-unfit': error<{ table: string; rejected: number; rows: number; why: string }>(
    'A run would reject every row of the table that was tried.',
    (d) => `all of the first ${d.rows} rows of ${d.table} would be rejected; the first: ${d.why}`,
  ),
  'record-undeclared': error<{ name: string; known: readonly string[] }>(
    '"as" names a variable that the prompt does not declare, or that is not a record.',
    (d) => `the prompt has no record "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'variables'),
  ),
  'column-unknown': error<{ heading: string; variable: string; known: readonly string[] }>(
    'A batch names a column that its table does not have.',
    (d) => `unknown column "${d.heading}" for "${d.variable}"`,
    (d) => suggestion(d.heading, d.known, 'columns'),
  ),
  'heading-unused': warning<{ heading: string; known: readonly string[] }>(
    'A column fills no variable.',
    (d) => `the column "${d.heading}" is used by no variable`,
    (d) => nearSlip(d.heading, d.known),
  ),
  'heading-duplicate': error<{ heading: string }>(
    'Two columns have the same heading.',
    (d) => `two columns have the heading "${d.heading}"`,
    () => 'rename one of them',
  ),
  'cell-invalid': error<{
    row: number
    column: string
    cell: string
    expected: string
    /** Whether `expected` says what bound is not kept: `is below the minimum 24`. */
    isBound?: boolean
    hint?: string | undefined
  }>(
    'A cell does not match the type of its variable. The row is rejected.',
    (d) => `row ${d.row}, column "${d.column}": "${d.cell}" ${d.isBound ? d.expected : `is not ${d.expected}`}`,
    (d) => d.hint ?? nearestOf(d.expected, d.cell),
  ),
  'cell-missing': error<{ row: number; column: string }>(
    'A required cell is empty. The row is rejected.',
    (d) => `row ${d.row}, column "${d.column}" is empty`,
  ),
  'row-ragged': error<{ row: number; cells: number; expected: number }>(
    'A row has more or fewer cells than there are headings, usually because of a missing quote.',
    (d) => `row ${d.row} has ${d.cells} cells, but there are ${d.expected} headings`,
    () => 'look for a missing quote or an unquoted comma in this row',
  ),
  'row-too-long': error<{ row: number; limit: number }>(
    'A row is too long, usually because a quote is never closed.',
    (d) => `row ${d.row} is longer than ${Math.round(d.limit / 1024 / 1024)} MB`,
    () => 'look for an unclosed quote in this row or the one before',
  ),
  'quote-open': error<{ row: number }>('A quoted cell is never closed.', (d) => `a quote opened in row ${d.row} is never closed`),
  'line-unreadable': error<{ line: number; why: string }>(
    'A line of JSON Lines is not valid JSON. It is rejected; the next lines are read.',
    (d) => `line ${d.line} is not valid JSON: ${d.why}`,
  ),
  'row-too-deep': error<{ row: number; limit: number }>(
    'A row is nested too deep, or contains itself. It is rejected; the next rows are read.',
    (d) => `row ${d.row} is nested more than ${d.limit} deep`,
  ),
  'line-too-long': error<{ file: string; line: number; limit: number }>(
    'A line is too long, usually because the file is not JSON Lines.',
    (d) => `line ${d.line} of ${d.file} is longer than ${d.limit} characters`,
    () => 'if the file is one list, name it .json or use --format json',
  ),
  'row-not-record': error<{ row: number }>('An item of a list is not a record. It is rejected.', (d) => `row ${d.row} is not a record`),
  'cell-file': error<{ row: number; column: string; detail: string }>(
    'A cell names a document that cannot be read. The record is rejected.',
    (d) => `row ${d.row}, column "${d.column}": ${d.detail}`,
    () => 'write the path as it is below the library or the table',
  ),
  'encoding-guessed': warning<{ file: string; encoding: string }>(
    'A file is not UTF-8. Its encoding was detected, or it is read as Windows-1252, the most common other encoding of tables.',
    (d) => `${d.file} is not UTF-8 and is read as ${d.encoding}`,
    () => 'check accented letters; if they are wrong, name the encoding: --encoding NAME',
  ),
  'encoding-unknown': error<{ name: string }>(
    'A table is in an encoding that is not known.',
    (d) => `unknown encoding "${d.name}"`,
    () => 'use a name such as utf-8, windows-1250, iso-8859-2, koi8-r, shift_jis, gb18030 or cp850',
  ),
  'not-text': error<{ file: string }>(
    'A text file is not UTF-8.',
    (d) => `${d.file} is not UTF-8 text`,
    () => 'save it as UTF-8',
  ),
  'table-empty': error<{ file: string }>('A table has no headings.', (d) => `${d.file} has no headings and no rows`),
  'join-several': error<{ table: string; key: string; count: number }>(
    'Several rows of a joined table match one record, but the join expects one. The record is rejected.',
    (d) => `${d.count} rows of ${d.table} match "${d.key}"`,
    () => 'set many: true in the join to use all of them',
  ),
  'join-row-invalid': error<{ table: string; detail: string }>(
    'The matching row of a joined table is invalid. The record is rejected.',
    (d) => `in ${d.table}: ${d.detail}`,
  ),
  'join-none': error<{ table: string; variable: string }>(
    'No row of a joined table matches, and the prompt requires one. The record is rejected.',
    (d) => `no matching row in ${d.table} for "${d.variable}"`,
    () => 'declare the variable with optional: true if it may be missing',
  ),
  'record-unnamed': error<{ row: number }>(
    'The id of a record is empty. The record is rejected.',
    (d) => `the id of the record in row ${d.row} is empty`,
  ),
  'record-id-duplicate': error<{ name: string }>(
    'Two records of a batch have the same id. The later one is rejected.',
    (d) => `an earlier record has the id "${d.name}"`,
    () => 'give each record its own id with name: in the batch',
  ),
  'envelope-loses-parts': error<{ role: string }>(
    'A turn has an attachment, and the envelope has no slot for it. The record is rejected.',
    (d) => `the envelope has no slot for the attachment of the ${d.role} turn`,
    () => 'add {parts} to its turn:, and {turns} to its line:',
  ),
  'output-ending': error<{ path: string; known: readonly string[] }>(
    'Records cannot be written to this kind of file.',
    (d) => `cannot write records to ${d.path}`,
    (d) => `use ${d.known.join(', ')}, or one file per record: out/{item.number}.md`,
  ),
  'output-exists': error<{ path: string; more: number; by?: 'run' | 'ask' | undefined }>(
    'The output of a run would replace a file that was not made by a run.',
    (d) =>
      d.by ? `${d.path} has the output of "dunelight ${d.by}"` : `${d.path} already exists${d.more > 0 ? `, and ${d.more} more` : ''}`,
    () => 'choose another path with --to, or add --overwrite',
  ),
  'sheet-too-long': error<{ limit: number }>(
    'A spreadsheet has a limit of rows.',
    (d) => `a spreadsheet holds at most ${d.limit} records`,
    () => 'write .csv or .parquet instead, or --take fewer',
  ),
  'record-path-invalid': error<{ path: string }>(
    'The path of a record’s file leaves its folder, or is not a valid file name.',
    (d) => `"${d.path}" is not a valid file name`,
  ),
  'record-path-duplicate': error<{ path: string }>(
    'Two records have the same file. The later one is rejected.',
    (d) => `another record is written to ${d.path}`,
    () => 'use a value in the path that is different for every record',
  ),
  'run-unreadable': error<{ folder: string; why: string }>('A folder is not a run folder.', (d) => `${d.folder} is not a run: ${d.why}`),
  'run-changed': error<{ what: string; detail: string }>(
    'Something that the run started with has changed, so it cannot be resumed.',
    (d) => `the run cannot be resumed: ${d.what} ${d.detail}`,
    () => 'restore it, or start a new run',
  ),
  'run-active': error<{ run: string; process: number }>(
    'Another process is running this run.',
    (d) => `the run ${d.run} is active in process ${d.process}`,
  ),
  'run-finished': error<{ run: string }>(
    'A finished run cannot be resumed.',
    (d) => `the run ${d.run} has finished; there is nothing to resume`,
  ),
  'budget-exceeded': error<{ tokens: number; budget: number; fit: number; records: number }>(
    'The prompts of a run exceed its token budget. Nothing is written.',
    (d) =>
      `the prompts have ${d.tokens.toLocaleString('en')} tokens, ${(d.tokens - d.budget).toLocaleString('en')} more than the budget of ${d.budget.toLocaleString('en')}; ${d.fit.toLocaleString('en')} of ${d.records.toLocaleString('en')} records fit`,
    (d) => (d.fit > 0 ? `--take ${d.fit} stays within the budget` : undefined),
  ),
  'table-format-unknown': error<{ name: string; known: readonly string[] }>(
    'An unknown table format.',
    (d) => `unknown table format "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'formats'),
  ),
  'sheet-unknown': error<{ file: string; sheet: string; known: readonly string[] }>(
    'The spreadsheet has no sheet of this name.',
    (d) => `${d.file} has no sheet "${d.sheet}"`,
    (d) => suggestion(d.sheet, d.known, 'sheets'),
  ),
  'heading-merged': error<{ file: string; found: string }>(
    'The first row of a sheet is a title, usually in merged cells, instead of headings.',
    (d) => `the first row of ${d.file} has only "${d.found}": a title, not headings`,
    () => 'remove the rows above the headings, or save the table on its own sheet',
  ),
  'query-invalid': error<{ file: string; detail: string; tables: readonly string[] }>(
    'The database rejects the query.',
    (d) => `invalid query for ${d.file}: ${d.detail}`,
    (d) => (d.tables.length > 0 ? `its tables: ${d.tables.join(', ')}` : undefined),
  ),
  'pipe-waits': info<{ file: string }>(
    'The table is a named pipe. Reading starts when a program writes to it.',
    (d) => `waiting for a program to write to the pipe ${d.file}`,
  ),
  'file-unreadable': error<{ file: string; why: string; near?: string | undefined }>(
    'A file cannot be opened.',
    (d) => `cannot read ${d.file}: ${d.why}`,
    (d) => d.near && `did you mean ${d.near}?`,
  ),
  'record-ids-unfit': warning<{ heading: string; cell: string; rows: readonly number[] }>(
    'The heading of a column says that it holds identifiers, but one of the first 1,000 rows has none, or two have the same. So it cannot name the records.',
    (d) =>
      `records are named by their row numbers: in "${d.heading}", ${d.cell === '' ? `row ${d.rows.join('')} is empty` : `"${d.cell}" is in rows ${d.rows.join(' and ')}`}`,
    () => 'correct it, or say what names them with name: in the batch, or --name',
  ),
  'record-unknown': error<{ id: string; known?: readonly string[] }>(
    'The table has no record with this id. The id is what the `name` of the batch says, else the cell of the first column whose cells are identifiers, none empty and no two alike, in the first 1,000 rows; without one, the row number.',
    (d) => `unknown record "${d.id}"`,
    (d) => suggestion(d.id, d.known ?? [], 'records'),
  ),
}

function nearSlip(heading: string, known: readonly string[]): string | undefined {
  const help = suggestion(heading, known, '')
  return help?.startsWith('did') ? help : undefined
}
