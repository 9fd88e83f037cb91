import { error } from './code.js'
import { suggestion } from './suggest.js'

/** Problems in the definitions of outputs. */
export const outputCodes = {
  'passage-unreadable': error<{ name: string; expected: string }>(
    'A passage of an output cannot be parsed.',
    (d) => `the passage "${d.name}" expects ${d.expected}`,
    () => 'write <name: guidance>, or \\< for a literal <',
  ),
  'passage-none': error<object>(
    'An output of rows or a document needs a passage for the model to write.',
    () => 'there is no passage',
    () => 'write <name: guidance> where the model is to write',
  ),
  'passage-duplicate': error<{ name: string }>(
    'Two passages have the same name.',
    (d) => `the passage "${d.name}" is defined twice`,
    () => 'rename one of them',
  ),
  'passage-in-each': error<{ name: string }>(
    'A passage inside "each" would be written several times under one name.',
    (d) => `the passage "${d.name}" is inside "each"`,
    () => 'use rows, or a list in one passage',
  ),
  'passages-touch': error<{ first: string; other: string }>(
    'Two passages have no text between them, so a reader cannot tell where the first ends.',
    (d) => `there is no text between the passages "${d.first}" and "${d.other}"`,
    () => 'put fixed text between them',
  ),
  'label-invalid': error<{ label: string }>('A label is empty, or differs from another only in case.', (d) =>
    d.label.trim() === '' ? 'a label is empty' : `the label "${d.label}" is defined twice`,
  ),
  'labels-missing': error<{ field: string; set: string }>(
    'An output takes its labels from a field that is not a choice.',
    (d) => `the field "${d.field}" of "${d.set}" has no labels`,
    () => 'name a field of type choice',
  ),
  'output-contradicts': error<{ base: string; why: string }>(
    'An output contradicts the output that it is based on.',
    (d) => `this contradicts its base "${d.base}": ${d.why}`,
  ),
  'schema-invalid': error<{ why: string }>('A file is not a valid JSON Schema.', (d) => `invalid JSON Schema: ${d.why}`),
  'schema-unchecked': error<{ output: string }>(
    'A JSON Schema needs a validator.',
    (d) => `the schema of "${d.output}" needs a validator, but there is none`,
    () => 'pass { validator } from "dunelight/json-schema"; openLibrary of @dunelight/node loads it',
  ),
  'pattern-refused': error<{ pattern: string; why: string }>(
    'Patterns are applied to untrusted text, so their running time must be linear. Other patterns are refused.',
    (d) => `the pattern ${d.pattern} cannot be used: ${d.why}`,
    () => 'avoid (?=…), (?<=…), (?!…), \\1 and \\k<…>',
  ),
  'bound-invalid': error<{ bound: string; why: string }>(
    'A bound is not a number.',
    (d) => `"${d.bound}" ${d.why}`,
    () => 'a bound is a number, or one slot that inserts a number: "{words}"',
  ),
  'sample-impossible': error<{ output: string; why: string }>(
    'No sample reply can be generated for this output.',
    (d) => `no sample can be generated for "${d.output}": ${d.why}`,
  ),
  'output-unknown': error<{ name: string; known: readonly string[] }>(
    'A program names an output that the prompt does not have.',
    (d) => `the prompt has no output "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'outputs'),
  ),
}
