import { error } from './code.js'
import { meant } from './suggest.js'

/** Faults of the definitions of answers. */
export const outputCodes = {
  'passage-unreadable': error<{ name: string; expected: string }>(
    'A passage of an output that cannot be read.',
    (d) => `the passage "${d.name}" expects ${d.expected}`,
    () => 'write <name: guidance>, or \\< for a literal sign',
  ),
  'passage-none': error<object>(
    'Rows and documents are asked for because a model writes passages of them.',
    () => 'there is no passage in it',
    () => 'write <name: guidance> where the model is to write',
  ),
  'passage-twice': error<{ name: string }>(
    'Two passages of one name could not be told apart in what is read.',
    (d) => `the passage "${d.name}" stands here twice`,
    () => 'give one of them another name',
  ),
  'passage-in-each': error<{ name: string }>(
    'A passage within "each" would be written several times under one name.',
    (d) => `the passage "${d.name}" stands within "each"`,
    () => 'ask for rows, or for a list in one passage',
  ),
  'passages-touch': error<{ one: string; other: string }>(
    'Nothing stands between two passages that would tell a reader where the first ends.',
    (d) => `nothing parts the passages "${d.one}" and "${d.other}"`,
    () => 'put fixed text between them',
  ),
  'label-unfit': error<{ label: string }>('Two labels of one output that differ in nothing but case, or an empty one.', (d) =>
    d.label.trim() === '' ? 'a label is empty' : `the label "${d.label}" is there twice`,
  ),
  'labels-missing': error<{ field: string; set: string }>(
    'An output takes its labels from a field of an example set that has none.',
    (d) => `the field "${d.field}" of "${d.set}" gives no labels`,
    () => 'name a field of the type choice',
  ),
  'output-contradicts': error<{ base: string; why: string }>(
    'An output based on another asks for what its base does not.',
    (d) => `this contradicts its base "${d.base}": ${d.why}`,
  ),
  'schema-broken': error<{ why: string }>(
    'A JSON Schema that no reply could be checked by.',
    (d) => `this is no JSON Schema that can be used: ${d.why}`,
  ),
  'schema-unchecked': error<{ output: string }>(
    'A JSON Schema says more than fields can say, and nothing here checks it.',
    (d) => `the schema of "${d.output}" says more than fields can say, and nothing here checks JSON Schemas`,
    () => 'hand over a validator: { validator } of "dunelight/json-schema"; openLibrary of @dunelight/node brings it',
  ),
  'pattern-refused': error<{ pattern: string; why: string }>(
    'A pattern is tried on texts from strangers, so it runs in time that grows with the text. What cannot run so is refused.',
    (d) => `the pattern ${d.pattern} cannot be used: ${d.why}`,
    () => 'write it without (?=…), (?<=…), (?!…), \\1 and \\k<…>',
  ),
  'bound-unfit': error<{ bound: string; why: string }>(
    'A bound that is a slot comes out as something else than a number.',
    (d) => `"${d.bound}" ${d.why}`,
    () => 'a bound is a number, or one slot that holds one: "{words}"',
  ),
  'sample-impossible': error<{ output: string; why: string }>(
    'No sample reply can be made up for this definition.',
    (d) => `no sample can be made up for "${d.output}": ${d.why}`,
  ),
  'output-unknown': error<{ name: string; known: readonly string[] }>(
    'A program asks for the answer of a prompt by an output that the prompt does not have.',
    (d) => `the prompt has no output "${d.name}"`,
    (d) => meant(d.name, d.known, 'outputs'),
  ),
}
