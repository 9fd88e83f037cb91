import { ANSWER_DEFS, ANSWER_FIELDS, explainedLabels } from './declarations.js'
import { artefactSchema, either, mapSchema, oneOf, SCALAR, texts, type KeyWords } from './keys.js'
import { SHOWS, type OutputModel } from '../artefacts/artefacts.js'
import { COUNT_KEYS, FORM_KEYS, LABELS_KEYS, OUTPUT_KEYS } from '../artefacts/output.js'
import type { KeyKind } from '../artefacts/keys.js'
import type { JsonSchema } from '../interop/to-schema.js'

/** A whole number, or a slot of the prompt that asks. */
const COUNTED: JsonSchema = { type: ['integer', 'string'] }

const labels = mapSchema(
  LABELS_KEYS,
  { field: 'The choice field whose options they are.', examples: 'The example set that has the field.' },
  ['field', 'examples'],
)
const count = mapSchema(COUNT_KEYS, { min: ['The fewest rows.', COUNTED], max: ['The most rows.', COUNTED] })

/** The keys of an output of one form; `own` is the key that it must have, unless its base has it. */
function formSchema<K extends string>(
  form: OutputModel['form'],
  known: Readonly<Record<K, KeyKind>>,
  words: Readonly<Record<K, KeyWords>>,
  own: NoInfer<K>,
): JsonSchema {
  const common = {
    kind: ['Which form the answer has.', { const: form }],
    'based-on': 'The output whose keys it takes, where it says none of its own.',
    show: ['How the instruction is written.', oneOf(SHOWS)],
    'must-say': ['Texts that the answer has to say; slots may stand in them.', texts],
    'must-not-say': ['Texts that it must not say.', texts],
  } as const
  return {
    ...artefactSchema<string>({ ...OUTPUT_KEYS, ...known }, { ...common, ...words }),
    anyOf: [{ required: [own] }, { required: ['based-on'] }],
  }
}

const wholeWords = {
  cites: 'The list field, or the passage, whose entries the other texts cite as [1].',
  'max-words': 'The most words of all fields or passages together.',
  'min-words': 'The fewest words of all fields or passages together.',
  'not-counting': ['The fields or passages whose words do not count.', either(SCALAR, texts)],
} as const

const forms = {
  fields: formSchema('fields', FORM_KEYS.fields, { fields: ['What the answer holds.', ANSWER_FIELDS], ...wholeWords }, 'fields'),
  'one-of': formSchema(
    'one-of',
    FORM_KEYS['one-of'],
    {
      field: 'The name of the label in an answer. Default: label.',
      of: ['The labels, each with its meaning if you like, or whose options they are.', either(texts, labels, explainedLabels)],
    },
    'of',
  ),
  rows: formSchema(
    'rows',
    FORM_KEYS.rows,
    { row: 'One row, with its passages: "<heading> (<year: integer>)".', count: ['How many rows.', either(COUNTED, count)] },
    'row',
  ),
  document: formSchema(
    'document',
    FORM_KEYS.document,
    { text: 'The document, with the passages that the model writes: <opening: one warm paragraph>.', ...wholeWords },
    'text',
  ),
} satisfies Record<OutputModel['form'], JsonSchema>

/** Its kind decides which keys it has. */
export const outputSchema: JsonSchema = {
  type: 'object',
  properties: { kind: { description: 'Which form the answer has.', ...oneOf(Object.keys(forms)) } },
  required: ['kind'],
  allOf: Object.entries(forms).map(([form, then]) => ({ if: { properties: { kind: { const: form } }, required: ['kind'] }, then })),
  $defs: ANSWER_DEFS,
}
