import { defined } from '../invariant.js'
import { VARIABLE_DEFS, VARIABLES } from './declarations.js'
import { artefactSchema, either, listOf, mapOf, mapSchema, ref, SCALAR, texts } from './keys.js'
import { PROMPT_KEYS } from '../artefacts/prompt.js'
import { KNOWN_SETTINGS, TOKEN_ENCODINGS } from '../artefacts/settings.js'
import { ATTACHMENT_KEYS, HISTORY_KEYS, TURN_KEYS, TURN_SAYS } from '../artefacts/turns.js'
import type { JsonSchema } from '../interop/to-schema.js'

/** `settings:` of a library or prompt: those that are known are described, others are passed on. */
export const SETTINGS: JsonSchema = {
  type: 'object',
  properties: Object.fromEntries(
    Object.entries(KNOWN_SETTINGS).map(([key, { expected }]) => [
      key,
      {
        description: `${defined(expected[0]).toUpperCase()}${expected.slice(1)}.`,
        ...(key === 'token-encoding' && { enum: TOKEN_ENCODINGS }),
      },
    ]),
  ),
}

const attachment = mapSchema(
  ATTACHMENT_KEYS,
  {
    from: 'A variable, or a file of the library by a path with a "/".',
    as: ['The text that was taken out of it, or the document itself.', { enum: ['text', 'file'] }],
  },
  ['from'],
)

const history = mapSchema(
  HISTORY_KEYS,
  {
    from: 'The variable that holds the turns.',
    fence: 'The tag of the fence around what users said.',
    last: 'The most exchanges that are kept, the latest.',
    budget: ['The most tokens that are kept: 2k tokens.', SCALAR],
  },
  ['from'],
)

const turn: JsonSchema = {
  ...mapSchema(TURN_KEYS, {
    system: 'What the model is told at first.',
    user: 'What the user says.',
    assistant: 'What the model said, or at the end how its answer begins.',
    history: ['The turns of a variable.', either(SCALAR, history)],
    examples: 'The example set whose cases stand here, each as a user and an assistant turn.',
    input: 'The example set whose input side is inserted here, with the values of this prompt.',
    name: 'The name by which a derived prompt replaces it.',
    with: ['Values for the input side, by the names of its fields.', mapOf(SCALAR)],
    to: 'The text that cases are compared with.',
    'begin-answer': 'Whether the assistant turn begins with the fixed beginning of the expected side.',
    attach: ['Files and values that are sent with the text.', listOf(either(SCALAR, attachment))],
    each: 'What the turns are repeated for: stop in stops.',
    turns: ['The turns that are repeated.', listOf(ref('turn'))],
  }),
  // A turn has one kind of content.
  oneOf: Object.keys(TURN_SAYS).map((key) => ({ required: [key] })),
}

/** A prompt has turns of its own, or those of the prompt that it is based on. */
export const promptSchema: JsonSchema = {
  ...artefactSchema(
    PROMPT_KEYS,
    {
      tags: ['Words to find it by.', texts],
      'based-on': 'The prompt whose turns, variables and all else it takes.',
      bind: ['Texts for variables of the base, which are then no longer inputs.', mapOf(SCALAR)],
      replace: ['Turns that take the place of named turns of the base.', mapOf(ref('turn'))],
      'add-turns': ["Turns that follow the base's.", listOf(ref('turn'))],
      without: ['Variables of the base that nothing needs any more.', texts],
      locale: 'The language tag by which numbers and dates are written; slots may stand in it.',
      persona: 'The persona that speaks: a text that comes out as its name.',
      variables: ['What it takes.', VARIABLES],
      turns: ['What the model is told, in order.', { items: ref('turn'), minItems: 1 }],
      output: 'The form of the answer: a text that comes out as the name of an output.',
      'only-mentioned': ['Fields that the texts mention and do not insert, on purpose: item.donor.', texts],
      personal: ['Paths to values that are replaced by placeholders everywhere: item.donor.', texts],
      tool: 'Whether a service offers it as a tool that models may call.',
      trusted: 'Whether callers of a service may supply free text that is not declared untrusted.',
      settings: ['Settings for the model, passed on unchanged.', SETTINGS],
    },
    ['title'],
  ),
  oneOf: [{ required: ['turns'] }, { required: ['based-on'] }],
  $defs: { ...VARIABLE_DEFS, turn },
}
