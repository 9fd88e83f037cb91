import { VARIABLE_DEFS, VARIABLES } from './declarations.js'
import { artefactSchema, listOf, mapSchema, oneOf, texts } from './keys.js'
import { PICK_KEYS, SET_KEYS } from '../artefacts/examples.js'
import { PERSONA_KEYS } from '../artefacts/persona.js'
import { SNIPPET_KEYS } from '../artefacts/snippet.js'
import { STRATEGIES } from '../examples/pick/index.js'
import { ORDERS } from '../examples/picker.js'
import type { JsonSchema } from '../interop/to-schema.js'

export const snippetSchema: JsonSchema = {
  ...artefactSchema(SNIPPET_KEYS, { variables: ['What its text takes.', VARIABLES], text: 'The text that prompts use.' }, ['text']),
  $defs: VARIABLE_DEFS,
}

export const personaSchema: JsonSchema = artefactSchema(
  PERSONA_KEYS,
  {
    who: 'Who speaks: You are the registrar of a small museum.',
    voice: ['How it speaks: plain, exact.', texts],
    always: ['What it always does.', texts],
    never: ['What it never does.', texts],
    layout: 'How it is written, with {who}, {voice}, {always} and {never}; there is a standard layout.',
  },
  ['who'],
)

const pick = mapSchema(PICK_KEYS, {
  by: ['How cases are chosen.', oneOf(STRATEGIES.map(({ name }) => name))],
  'at-most': ['The most cases.', { minimum: 1 }],
  'at-least': ['The fewest cases.', { minimum: 1 }],
  cover: 'The field of which every value is shown.',
  budget: ['The most tokens: 600 tokens.', { type: ['string', 'integer'] }],
  order: ['In which order they stand.', oneOf(ORDERS)],
})

export const exampleSetSchema: JsonSchema = {
  ...artefactSchema(
    SET_KEYS,
    {
      fields: ['What a case says.', VARIABLES],
      input: 'The layout of the input side of a case. Default: the fields that the expected side does not use.',
      expected: 'The layout of the expected side of a case. Default: the fields that the input side does not use.',
      'expected-form': ["output: the expected side is written in the form of the prompt's output.", { const: 'output' }],
      cases: ['The cases, each by its fields.', listOf({ type: 'object' })],
      from: 'A table with more cases: a path from this file.',
      pick: ['Which cases are shown.', pick],
    },
    ['fields'],
  ),
  $defs: VARIABLE_DEFS,
}
