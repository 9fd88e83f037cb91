import { error, info, warning } from './code.js'

/** Problems in a reply, and notes about it. */
export const replyCodes = {
  'reply-empty': error<object>('The reply is empty.', () => 'the reply is empty'),
  'reply-over-limit': error<{ size: number; limit: number }>(
    'The reply is longer than the limit.',
    (d) => `the reply has ${d.size} characters, more than the limit of ${d.limit}`,
    () => 'raise limits: { reply-characters: … } in dunelight.yaml',
  ),
  'reply-without-json': error<{ why: string }>(
    'The reply should be JSON and contains none that can be parsed.',
    (d) => `the reply contains no valid JSON object${d.why === '' ? '' : `: ${d.why}`}`,
  ),
  'reply-cut-off': error<{ within: string }>(
    'The reply ends before it is complete. What is complete is in `partial`.',
    (d) => `the reply is cut off${d.within === '' ? '' : ` inside "${d.within}"`}`,
    () => 'raise max-tokens, or ask for less',
  ),
  'reply-field-missing': error<{ field: string; near?: string | undefined }>(
    'A required field is missing.',
    (d) => `"${d.field}" is missing`,
    (d) => d.near && `it has "${d.near}"`,
  ),
  'reply-field-invalid': error<{ field: string; detail: string }>(
    'A field does not match its definition.',
    (d) => `"${d.field}" ${d.detail}`,
  ),
  'reply-label-unknown': error<{ found: string; labels: readonly string[] }>(
    'The reply is not one of the labels.',
    (d) => `"${d.found}" is not one of ${d.labels.join(', ')}`,
  ),
  'reply-labels-several': error<{ found: readonly string[] }>(
    'The reply names several labels, or mentions one without choosing it.',
    (d) => `the reply does not choose a label: it mentions ${d.found.join(', ')}`,
  ),
  'reply-row-invalid': error<{ row: number; why: string }>('A line does not match the row pattern.', (d) => `row ${d.row} ${d.why}`),
  'reply-rows-count': error<{ count: number; detail: string }>(
    'The reply has too many or too few rows.',
    (d) => `${d.count} ${d.count === 1 ? 'row' : 'rows'}, ${d.detail}`,
  ),
  'reply-passage-missing': error<{ passage: string; left: boolean }>('A passage was not written.', (d) =>
    d.left ? `the passage "${d.passage}" was left as a placeholder` : `the passage "${d.passage}" is missing`,
  ),
  'reply-passage-invalid': error<{ passage: string; detail: string }>(
    'A passage does not follow its guidance.',
    (d) => `the passage "${d.passage}" ${d.detail}`,
  ),
  'reply-fixed-changed': error<{ asked: string; found: string; difference: string }>(
    'Fixed text of a document was changed. The message shows what was [-removed-] and {+added+}.',
    (d) => `fixed text was changed: ${d.difference}`,
  ),
  'reply-fixed-missing': error<{ asked: string }>('Fixed text of a document is missing.', (d) => `fixed text is missing: "${d.asked}"`),
  'reply-text-missing': error<{ text: string }>('The reply lacks a required text.', (d) => `it does not contain "${d.text}"`),
  'reply-text-forbidden': error<{ text: string }>('The reply contains a forbidden text.', (d) => `it contains "${d.text}"`),
  'reply-citation-unknown': error<{ number: number; list: string }>(
    'A text cites an entry that the list of `cites` does not have.',
    (d) => `[${d.number}] has no entry in "${d.list}"`,
  ),
  'reply-citation-unused': error<{ number: number; list: string }>(
    'An entry of the list of `cites` is cited nowhere.',
    (d) => `entry ${d.number} of "${d.list}" is not cited`,
  ),
  'reply-words': error<{ count: number; detail: string; except: readonly string[] }>(
    'The whole answer has too many or too few words.',
    (d) =>
      `the answer has ${d.count} ${d.count === 1 ? 'word' : 'words'}, ${d.detail}${d.except.length > 0 ? ` (not counting ${d.except.join(', ')})` : ''}`,
  ),
  'reply-schema-invalid': error<{ field: string; detail: string }>('The reply does not match the JSON Schema of its output.', (d) =>
    d.field === '' ? `the reply ${d.detail}` : `"${d.field}" ${d.detail}`,
  ),
  'reply-not-exact': error<{ detail: string }>(
    'The reply needs a repair, and repairs are not allowed (strict).',
    (d) => `the reply is not in the exact form: ${d.detail}`,
  ),
  'reply-repaired': info<{ repair: string; detail: string }>('A repair that the reader made.', (d) => d.detail),
  'reply-unsupported': warning<{ what: string; text: string }>(
    'A figure, date, year, amount or name occurs in no input of the prompt. It may be invented.',
    (d) => `the ${d.what} "${d.text}" occurs neither in the prompt nor in the record`,
    () => 'verify it',
  ),
  'reply-from-example': warning<{ what: string; text: string }>(
    'A figure, date or name occurs only in an example of the prompt.',
    (d) => `the ${d.what} "${d.text}" occurs only in an example`,
    () => 'verify it',
  ),
  'reply-copied': warning<{ sentence: string }>(
    'The reply repeats a sentence of an example word for word.',
    (d) => `copied from an example: "${d.sentence}"`,
  ),
  'reply-items-alike': info<{ path: string; item: number; like: number }>(
    'Two rows of a reply, or two items of a list in it, are nearly the same. Short words count little, numbers and the order of the words much.',
    (d) => `"${d.path}.${d.item}" is nearly the same as "${d.path}.${d.like}"`,
  ),
  'reply-row-unknown': error<{ record: string }>('A reply names a record that is not in the table.', (d) => `unknown record "${d.record}"`),
  'reply-duplicate': error<{ record: string }>('A record has more than one reply.', (d) => `there is more than one reply to "${d.record}"`),
  'reply-missing': error<{ record: string }>('A record has no reply.', (d) => `there is no reply to "${d.record}"`),
}
