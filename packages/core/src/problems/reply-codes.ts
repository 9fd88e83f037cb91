import { error, info, warning } from './code.js'

/** What is wrong with a reply, or to be looked at in it. */
export const replyCodes = {
  'reply-empty': error<object>('A reply without a sign.', () => 'the reply is empty'),
  'reply-over-limit': error<{ size: number; limit: number }>(
    'A reply may be only so long: a model that does not stop costs no more than this.',
    (d) => `the reply has ${d.size} signs, more than the ${d.limit} that are read`,
    () => 'raise limits: { reply-signs: … } in dunelight.yaml',
  ),
  'reply-without-json': error<{ why: string }>(
    'A reply that should be JSON holds none that can be read.',
    (d) => `no JSON object can be read in the reply${d.why === '' ? '' : `: ${d.why}`}`,
  ),
  'reply-cut-off': error<{ within: string }>(
    'A reply that ends before its form does: what is complete stands in `kept`.',
    (d) => `the reply breaks off${d.within === '' ? '' : ` within "${d.within}"`}`,
    () => 'raise max-tokens, or ask for less',
  ),
  'reply-field-missing': error<{ field: string; near?: string | undefined }>(
    'A required field is not in the reply.',
    (d) => `"${d.field}" is missing`,
    (d) => d.near && `it has "${d.near}"`,
  ),
  'reply-field-unfit': error<{ field: string; says: string }>('A field is not what was asked for.', (d) => `"${d.field}" ${d.says}`),
  'reply-label-unknown': error<{ found: string; labels: readonly string[] }>(
    'A reply that is none of the labels.',
    (d) => `"${d.found}" is none of ${d.labels.join(', ')}`,
  ),
  'reply-labels-several': error<{ found: readonly string[] }>(
    'A reply that names several labels, or speaks of one without giving it.',
    (d) => `the reply does not settle on a label: it speaks of ${d.found.join(', ')}`,
  ),
  'reply-row-unfit': error<{ row: number; why: string }>('A line is not in the form of a row.', (d) => `row ${d.row} ${d.why}`),
  'reply-rows-count': error<{ count: number; says: string }>(
    'More or fewer rows than were asked for.',
    (d) => `${d.count} ${d.count === 1 ? 'row' : 'rows'}, ${d.says}`,
  ),
  'reply-passage-missing': error<{ passage: string; left: boolean }>('A passage was not written.', (d) =>
    d.left ? `the passage "${d.passage}" was left as it was asked for` : `the passage "${d.passage}" is missing`,
  ),
  'reply-passage-unfit': error<{ passage: string; says: string }>(
    'A passage breaks what its guidance says of its form.',
    (d) => `the passage "${d.passage}" ${d.says}`,
  ),
  'reply-fixed-changed': error<{ asked: string; found: string; difference: string }>(
    'Fixed text of a document came back otherwise. The difference shows what was [-taken away-] and {+put in+}.',
    (d) => `fixed text was changed: ${d.difference}`,
  ),
  'reply-fixed-missing': error<{ asked: string }>(
    'Fixed text of a document did not come back.',
    (d) => `fixed text is missing: "${d.asked}"`,
  ),
  'reply-unsaid': error<{ text: string }>('A reply does not say what it must.', (d) => `it does not say "${d.text}"`),
  'reply-says': error<{ text: string }>('A reply says what it must not.', (d) => `it says "${d.text}"`),
  'reply-schema-unfit': error<{ field: string; says: string }>('A reply does not fit the JSON Schema of its output.', (d) =>
    d.field === '' ? `the reply ${d.says}` : `"${d.field}" ${d.says}`,
  ),
  'reply-not-exact': error<{ says: string }>(
    'A reply that could be read only by a repair, where repairs are refused.',
    (d) => `the reply is not in the exact form: ${d.says}`,
  ),
  'reply-repaired': info<{ repair: string; says: string }>('What a reader mended to read a reply.', (d) => d.says),
  'reply-unfounded': warning<{ what: string; text: string }>(
    'A figure, date, year, amount or name that stands neither in the prompt nor in its record: it may be made up.',
    (d) => `the ${d.what} "${d.text}" stands neither in the prompt nor in the record`,
    () => 'verify it',
  ),
  'reply-from-example': warning<{ what: string; text: string }>(
    'A figure, date or name that stands in an example of the prompt, and not in what was asked about.',
    (d) => `the ${d.what} "${d.text}" stands only in an example`,
    () => 'verify it',
  ),
  'reply-copied': warning<{ sentence: string }>(
    'A sentence of an example came back word for word.',
    (d) => `copied from an example: "${d.sentence}"`,
  ),
  'reply-row-unknown': error<{ record: string }>(
    'A reply to a record that the table does not hold.',
    (d) => `no record is called "${d.record}"`,
  ),
  'reply-twice': error<{ record: string }>('A second reply to one record.', (d) => `there is more than one reply to "${d.record}"`),
  'reply-none': error<{ record: string }>('A record without a reply.', (d) => `there is no reply to "${d.record}"`),
}
