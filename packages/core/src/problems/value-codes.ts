import { error, info, warning } from './code.js'
import { meant } from './suggest.js'

/** Faults of what is handed in at rendering. */
export const valueCodes = {
  'value-missing': error<{ path: string }>(
    'A required variable or field has no value.',
    (d) => `"${d.path}" is missing`,
    () => 'hand it over, or declare it optional: true or with a default:',
  ),
  'value-undeclared': error<{ name: string; known: readonly string[] }>(
    'A value is handed over under a name that the prompt does not declare.',
    (d) => `the prompt has no variable "${d.name}"`,
    (d) => meant(d.name, d.known, 'variables'),
  ),
  'value-bound': error<{ name: string }>(
    'A bound variable has its text already.',
    (d) => `"${d.name}" is bound by the prompt and cannot be given`,
  ),
  'value-unfit': error<{ path: string; expected: string; found: string; hint?: string | undefined }>(
    'A value is not what its declaration says.',
    (d) => `"${d.path}" takes ${d.expected}, not ${d.found}`,
    (d) => d.hint,
  ),
  'value-bounds': error<{ path: string; says: string }>('A value breaks a bound of its declaration.', (d) => `"${d.path}" ${d.says}`),
  'step-found-nothing': error<{ path: string }>(
    'A step into an open record, or a counted step into a list, found nothing.',
    (d) => `there is nothing at "${d.path}"`,
    (d) => `write {${d.path} or "…"} if it may be absent`,
  ),
  'value-not-formattable': error<{ path: string; format: string; found: string }>(
    'A value of an open record is not what the format takes.',
    (d) => `the format "${d.format}" cannot write "${d.path}", which holds ${d.found}`,
  ),
  'each-not-list': error<{ path: string; found: string }>(
    'A value of an open record that is no list was to be gone through.',
    (d) => `"each" cannot go through "${d.path}", which holds ${d.found}`,
  ),
  'no-turn-left': error<object>('Every turn came out empty.', () => 'every turn came out empty'),
  'roles-repeat': warning<{ role: string }>(
    'Two turns of one role side by side are refused by some models.',
    (d) => `two ${d.role} turns stand side by side`,
  ),
  'history-system': error<{ path: string }>('A history must not carry system turns.', (d) => `"${d.path}" holds a system turn`),
  'persona-unknown': error<{ name: string; known: readonly string[]; what: string }>(
    'A persona, output or locale chosen by a text came out as a name that does not exist.',
    (d) => `there is no ${d.what} "${d.name}"`,
    (d) => meant(d.name, d.known, `${d.what}s`),
  ),
  'locale-unknown': error<{ name: string }>(
    'A locale that Intl does not read.',
    (d) => `"${d.name}" is no locale`,
    () => 'write a language tag such as de, en-GB or nb-NO',
  ),
  'repeats-over-limit': error<{ limit: number }>(
    'Loops may run only so often in one rendering.',
    (d) => `more than ${d.limit} repeats in one rendering`,
    () => 'raise limits: { repeats: … } in dunelight.yaml, or render fewer items',
  ),
  'value-too-deep': error<{ path: string; limit: number }>(
    'A value may be nested only so deep: one that holds itself never ends.',
    (d) => `"${d.path}" is nested more than ${d.limit} deep`,
    () => 'hand over the part that the prompt needs',
  ),
  'steps-over-limit': error<{ limit: number }>(
    'One rendering may take only so many steps: lists within lists that are searched or changed for every item multiply.',
    (d) => `the rendering takes more than ${d.limit} steps`,
    () => 'move what does not depend on the item out of the loop, render fewer items, or raise limits: { steps: … } in dunelight.yaml',
  ),
  'internal-error': error<{ cause: string; stack: string }>(
    'A record met an exception that was not expected: a bug of ours, or of a format that a program brought along. The record is rejected; the rest goes on.',
    (d) => `internal error: ${d.cause}`,
    () => 'this is a bug: report it with the problem’s data, which has the stack',
  ),
  'bytes-over-limit': error<{ limit: number }>(
    'One rendering may be only so large.',
    (d) => `the rendering is larger than ${d.limit} bytes`,
    () => 'raise limits: { rendering-bytes: … } in dunelight.yaml, or hand over less',
  ),
  'attachment-over-limit': error<{ name: string; size: number; limit: number }>(
    'One attachment may be only so large.',
    (d) => `"${d.name}" has ${d.size} bytes, more than the ${d.limit} that may be attached`,
    () => 'raise limits: { attachment-bytes: … } in dunelight.yaml, or hand over a smaller file',
  ),
  'attachment-without-text': error<{ name: string; mediaType: string }>(
    'A file that is to be handed over as text carries none.',
    (d) => `"${d.name}" (${d.mediaType}) carries no text`,
    () => 'attach it as a file, or take its text out before: readFileValue of @dunelight/node does for PDF',
  ),
  'schema-unfit': error<{ path: string; why: string }>(
    'A JSON Schema says what declarations cannot say.',
    (d) => `${d.path === 'the schema' ? d.path : `"${d.path}"`} does not become a declaration: ${d.why}`,
  ),
  'picked-few': warning<{ set: string; count: number; least: number }>(
    'Fewer cases could be picked than the set asks for.',
    (d) => `only ${d.count} cases of "${d.set}" could be picked, fewer than ${d.least}`,
  ),
  'wordings-over-limit': error<{ limit: number }>('Several "vary" multiply.', (d) => `there are more than ${d.limit} wordings`),
  'prompt-unknown': error<{ name: string; known: readonly string[] }>(
    'A program asks for a prompt that the library does not hold.',
    (d) => `there is no prompt "${d.name}"`,
    (d) => meant(d.name, d.known, 'prompts'),
  ),
}

/** Faults of tables. */
export const tableCodes = {
  'heading-missing': error<{ variable: string; known: readonly string[] }>(
    'A required variable has no column.',
    (d) => `no column gives "${d.variable}"`,
    (d) => meant(d.variable, d.known, 'columns'),
  ),
  'record-undeclared': error<{ name: string; known: readonly string[] }>(
    'Rows are to be handed over as a variable that the prompt does not declare, or that is no record.',
    (d) => `the prompt has no record "${d.name}"`,
    (d) => meant(d.name, d.known, 'variables'),
  ),
  'column-unknown': error<{ heading: string; variable: string; known: readonly string[] }>(
    'A batch names a column that its table does not have.',
    (d) => `there is no column "${d.heading}" for "${d.variable}"`,
    (d) => meant(d.heading, d.known, 'columns'),
  ),
  'heading-unused': warning<{ heading: string; known: readonly string[] }>(
    'A column that gives no variable is left aside.',
    (d) => `the column "${d.heading}" is used by no variable`,
    (d) => nearSlip(d.heading, d.known),
  ),
  'heading-twice': error<{ heading: string }>(
    'Two columns claim one variable.',
    (d) => `two columns are called "${d.heading}"`,
    () => 'rename one of them',
  ),
  'cell-unfit': error<{ row: number; column: string; cell: string; expected: string; hint?: string | undefined }>(
    'A cell is not what its column should hold; its row is set aside.',
    (d) => `row ${d.row}, column "${d.column}": "${d.cell}" is not ${d.expected}`,
    (d) => d.hint,
  ),
  'cell-missing': error<{ row: number; column: string }>(
    'A required cell is empty; its row is set aside.',
    (d) => `row ${d.row}, column "${d.column}" is empty`,
  ),
  'row-ragged': error<{ row: number; cells: number; expected: number }>(
    'A row has more or fewer cells than the heading: most often a quote or a comma that was lost.',
    (d) => `row ${d.row} has ${d.cells} cells, the heading has ${d.expected}`,
    () => 'look for a lost quote or an unquoted comma in this row',
  ),
  'row-endless': error<{ row: number; limit: number }>(
    'A row is so long that it cannot be one: most often a quote is never closed, and what follows is taken for its cell.',
    (d) => `row ${d.row} is longer than ${Math.round(d.limit / 1024 / 1024)} MB`,
    () => 'look for a quote that is not closed, in this row or the one before',
  ),
  'quote-open': error<{ row: number }>('A quoted cell is never closed.', (d) => `a quote opened in row ${d.row} is never closed`),
  'line-unreadable': error<{ line: number; why: string }>(
    'A line of JSON Lines is no JSON; it is set aside, and those after it are read.',
    (d) => `line ${d.line} is no JSON: ${d.why}`,
  ),
  'row-too-deep': error<{ row: number; limit: number }>(
    'A row holds lists or records nested so deep that nothing could write them, or holds itself; it is rejected, and those after it are read.',
    (d) => `row ${d.row} is nested more than ${d.limit} deep`,
  ),
  'line-endless': error<{ file: string; line: number; limit: number }>(
    'A line is so long that it cannot be a record: most often the file is no JSON Lines.',
    (d) => `line ${d.line} of ${d.file} is longer than ${d.limit} signs`,
    () => 'if the file is one list, name it .json or give its format',
  ),
  'row-no-record': error<{ row: number }>(
    'An item of a list is a text, a number or a list where a record was expected; it is set aside.',
    (d) => `row ${d.row} is no record`,
  ),
  'encoding-guessed': warning<{ file: string }>(
    'A file is not UTF-8, and is read as Windows-1252, which most tables are that are not.',
    (d) => `${d.file} is not UTF-8: it is read as Windows-1252`,
    () => 'look whether accents came out right, or save it as UTF-8',
  ),
  'not-text': error<{ file: string }>(
    'A file that should be text is not UTF-8.',
    (d) => `${d.file} is not UTF-8 text`,
    () => 'save it as UTF-8',
  ),
  'table-empty': error<{ file: string }>('A table without a heading.', (d) => `${d.file} holds no heading and no rows`),
  'join-several': error<{ table: string; key: string; count: number }>(
    'Several rows of a joined table belong to one record, and only one is wanted; the record is set aside.',
    (d) => `${d.count} rows of ${d.table} belong to "${d.key}"`,
    () => 'say many: true in the join if all of them are meant',
  ),
  'join-row-unfit': error<{ table: string; says: string }>(
    'The row of a joined table that a record needs does not fit; the record is set aside.',
    (d) => `in ${d.table}: ${d.says}`,
  ),
  'join-none': error<{ table: string; variable: string }>(
    'No row of a joined table belongs to a record, and the prompt needs one; the record is set aside.',
    (d) => `no row of ${d.table} gives "${d.variable}"`,
    () => 'declare it optional: true if it may be missing',
  ),
  'record-unnamed': error<{ row: number }>(
    'The name that a batch gives to a record comes out empty; it is set aside.',
    (d) => `the record in row ${d.row} has no name`,
  ),
  'record-named-twice': error<{ name: string }>(
    'Two records of a batch have one name; the later one is set aside, as an answer could not be told whose it is.',
    (d) => `a record called "${d.name}" came before`,
    () => 'give records names of their own by name: in the batch',
  ),
  'envelope-loses-parts': error<{ role: string }>(
    'A turn hands over a document or a picture, and the envelope has no place for it; the record is set aside.',
    (d) => `the envelope has no place for what the ${d.role} turn hands over`,
    () => 'place {parts} in its turn:, and {turns} in its line:',
  ),
  'output-ending': error<{ path: string; known: readonly string[] }>(
    'Records are to be written to a file of a kind that is not written.',
    (d) => `records are not written as ${d.path}`,
    (d) => `name it ${d.known.join(', ')}, or give each record a file of its own: out/{item.number}.md`,
  ),
  'output-exists': error<{ path: string; more: number }>(
    'A run’s output would be written over something that no run has put there.',
    (d) => `${d.path} exists already${d.more > 0 ? `, and ${d.more} more` : ''}`,
    () => 'choose another place, or add --overwrite',
  ),
  'sheet-too-long': error<{ limit: number }>(
    'A spreadsheet of more rows than anybody reads is asked for.',
    (d) => `a spreadsheet takes ${d.limit} records at most`,
    () => 'write .csv or .parquet instead, or --take fewer',
  ),
  'record-path-unfit': error<{ path: string }>(
    'The path that a record goes to would leave its folder, or cannot be the name of a file.',
    (d) => `"${d.path}" cannot be the name of a file`,
  ),
  'record-path-twice': error<{ path: string }>(
    'Two records would go to one file; the later one is set aside.',
    (d) => `another record goes to ${d.path} already`,
    () => 'put something into the path that no two records share',
  ),
  'run-unreadable': error<{ folder: string; why: string }>('A folder that holds no run.', (d) => `${d.folder} holds no run: ${d.why}`),
  'run-changed': error<{ what: string; says: string }>(
    'A run is to be carried on, and what it was begun with has changed: it would come to an output that is of two kinds.',
    (d) => `the run cannot be carried on: ${d.what} ${d.says}`,
    () => 'put back what it was, or begin a new run',
  ),
  'run-alive': error<{ run: string; process: number }>(
    'A run is to be carried on that another process is still at.',
    (d) => `the run ${d.run} is under way in process ${d.process}`,
  ),
  'run-over': error<{ run: string }>(
    'A run is to be carried on that has ended.',
    (d) => `the run ${d.run} has ended; there is nothing to carry on`,
  ),
  'budget-exceeded': error<{ tokens: number; budget: number; fit: number; records: number }>(
    'The prompts of a run together have more tokens than it may have; nothing was written.',
    (d) =>
      `the prompts have ${d.tokens.toLocaleString('en')} tokens, ${(d.tokens - d.budget).toLocaleString('en')} more than the budget of ${d.budget.toLocaleString('en')}; ${d.fit.toLocaleString('en')} of ${d.records.toLocaleString('en')} records fit`,
    (d) => (d.fit > 0 ? `--take ${d.fit} stays within it` : undefined),
  ),
  'table-format-unknown': error<{ name: string; known: readonly string[] }>(
    'A format that no table is read in.',
    (d) => `"${d.name}" is no format of a table`,
    (d) => meant(d.name, d.known, 'formats'),
  ),
  'sheet-unknown': error<{ file: string; sheet: string; known: readonly string[] }>(
    'A sheet that a spreadsheet does not have.',
    (d) => `${d.file} has no sheet "${d.sheet}"`,
    (d) => meant(d.sheet, d.known, 'sheets'),
  ),
  'heading-merged': error<{ file: string; found: string }>(
    'The first row of a sheet is a title, most often in merged cells, and no row of headings.',
    (d) => `the first row of ${d.file} holds "${d.found}" alone, which is a title and no row of headings`,
    () => 'remove what stands above the headings, or save the table on a sheet of its own',
  ),
  'query-unfit': error<{ file: string; says: string; tables: readonly string[] }>(
    'A database does not understand what it is asked.',
    (d) => `${d.file} does not take the query: ${d.says}`,
    (d) => (d.tables.length > 0 ? `its tables: ${d.tables.join(', ')}` : undefined),
  ),
  'pipe-waits': info<{ file: string }>(
    'A table comes through a named pipe: reading begins when a program opens its other end.',
    (d) => `waiting for a program to write to the pipe ${d.file}`,
  ),
  'file-unreadable': error<{ file: string; why: string }>('A file cannot be opened.', (d) => `cannot read ${d.file}: ${d.why}`),
  'record-unknown': error<{ id: string }>('A record asked for by its id is not in the table.', (d) => `no record is called "${d.id}"`),
}

function nearSlip(heading: string, known: readonly string[]): string | undefined {
  const says = meant(heading, known, '')
  return says?.startsWith('did') ? says : undefined
}
