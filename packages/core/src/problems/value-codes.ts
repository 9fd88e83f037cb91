import { error, warning } from './code.js'
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
  'quote-open': error<{ row: number }>('A quoted cell is never closed.', (d) => `a quote opened in row ${d.row} is never closed`),
  'not-text': error<{ file: string }>(
    'A file that should be text is not UTF-8.',
    (d) => `${d.file} is not UTF-8 text`,
    () => 'save it as UTF-8',
  ),
  'table-empty': error<{ file: string }>('A table without a heading.', (d) => `${d.file} holds no heading and no rows`),
  'file-unreadable': error<{ file: string; why: string }>('A file cannot be opened.', (d) => `cannot read ${d.file}: ${d.why}`),
  'record-unknown': error<{ id: string }>('A record asked for by its id is not in the table.', (d) => `no record is called "${d.id}"`),
}

function nearSlip(heading: string, known: readonly string[]): string | undefined {
  const says = meant(heading, known, '')
  return says?.startsWith('did') ? says : undefined
}
