import { either, mapOf, mapSchema, oneOf, ref, SCALAR, texts, type KeyWords } from './keys.js'
import { LABEL_KEYS } from '../artefacts/labels.js'
import { ANSWER_KEYS, BOUND_KEYS, VARIABLE_KEYS } from '../artefacts/variables.js'
import type { JsonSchema } from '../interop/to-schema.js'
import { TYPE_NAMES } from '../values/types.js'

/** Labels, each with its meaning, and those that it goes before. */
export const explainedLabels: JsonSchema = mapOf(
  either(
    { type: ['string', 'number', 'boolean', 'null'] },
    mapSchema(LABEL_KEYS, {
      about: 'What the label means.',
      over: ['The labels that it is chosen over where both fit.', either(SCALAR, texts)],
    }),
  ),
)

const TYPE: JsonSchema = {
  type: 'string',
  anyOf: [
    oneOf([...TYPE_NAMES, 'list of text', 'list of record']),
    { pattern: `^\\s*(list\\s+of\\s+)*(list|${TYPE_NAMES.join('|')})\\s*$` },
  ],
}

const WORDS: Readonly<Record<keyof typeof VARIABLE_KEYS, KeyWords>> = {
  type: ['What its values are.', TYPE],
  about: 'Help in forms, schemas and types.',
  question: 'The words with which a form asks for it.',
  example: 'A value for previews and docs.',
  optional: 'Whether it may be missing.',
  default: 'What it is where it is missing.',
  untrusted: 'Whether it was written outside the team: then it can only be inserted fenced.',
  of: ['The options of a choice: a list, or each with its meaning.', either(texts, explainedLabels)],
  fields: ['The fields of a record or table.', mapOf(ref('declaration'))],
  min: ['The least number, or the first date.', { type: ['number', 'string'] }],
  max: ['The greatest number, or the last date.', { type: ['number', 'string'] }],
  'min-length': 'The smallest number of characters.',
  'max-length': 'The largest number of characters.',
  pattern: 'A regular expression that the whole text must match.',
  'min-words': 'The smallest number of words.',
  'max-words': 'The largest number of words.',
  'min-items': 'The smallest number of items or rows.',
  'max-items': 'The largest number of items or rows.',
  unique: 'Whether the items of a list must be distinct.',
  splits: 'The separator of list items in a cell. Default: a semicolon.',
  reads: 'How a cell is read: mark (anything is yes), or the order of a date such as d.M.yyyy.',
  media: ['The media types that a file may have: text/markdown, image/*.', texts],
}

/** A bound of an answer may be a slot of the prompt that asks for it. */
const SLOT_OR: JsonSchema = { type: ['integer', 'string'] }
const ANSWER_WORDS = {
  ...WORDS,
  fields: [WORDS.fields[0], mapOf(ref('answer'))],
  ...Object.fromEntries(BOUND_KEYS.filter((key) => key !== 'min' && key !== 'max').map((key) => [key, [WORDS[key], SLOT_OR]])),
} as Readonly<Record<keyof typeof VARIABLE_KEYS, KeyWords>>

/** `variables:` of a prompt or snippet, `fields:` of an example set: names with a type each, or with more than that. */
export const VARIABLES: JsonSchema = mapOf(ref('declaration'))
/** `fields:` of an answer. */
export const ANSWER_FIELDS: JsonSchema = mapOf(ref('answer'))

const declared = (keys: JsonSchema) => either(TYPE, keys)

export const VARIABLE_DEFS = { declaration: declared(mapSchema(VARIABLE_KEYS, WORDS, ['type'])) } as const
export const ANSWER_DEFS = { answer: declared(mapSchema(ANSWER_KEYS, ANSWER_WORDS, ['type'])) } as const
