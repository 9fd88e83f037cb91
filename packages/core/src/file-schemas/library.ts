import { listOf, mapOf, mapSchema, oneOf, SCALAR, texts, type KeyWords } from './keys.js'
import { SETTINGS } from './prompt.js'
import { DEFAULT_LIMITS } from '../artefacts/artefacts.js'
import { FENCE_KEYS, LIBRARY_KEYS, LIMIT_KEYS } from '../artefacts/library-file.js'
import { INNER_KEYS, MODEL_KEYS, MODELS_KEYS } from '../artefacts/models.js'
import { SCREEN_DEEDS, SCREEN_KEYS, screenedOn } from '../artefacts/screens.js'
import type { JsonSchema } from '../interop/to-schema.js'

const limit = (about: string, usual: number): KeyWords => [`${about}; ${usual} where nothing is said.`, { minimum: 1 }]

const limits = mapSchema(LIMIT_KEYS, {
  nesting: limit('How deep blocks may stand within one another', DEFAULT_LIMITS.nesting),
  repeats: limit('How often each may repeat', DEFAULT_LIMITS.repeats),
  'rendering-bytes': limit('The most bytes of a rendering', DEFAULT_LIMITS.renderingBytes),
  'attachment-bytes': limit('The most bytes of what is handed over beside it', DEFAULT_LIMITS.attachmentBytes),
  'reply-signs': limit('The most signs of a reply', DEFAULT_LIMITS.replySigns),
  steps: limit('The most items and characters that formats and conditions of a rendering may go through', DEFAULT_LIMITS.steps),
  aliases: limit('How often anchors of a file may be used', DEFAULT_LIMITS.aliases),
})

const screen: JsonSchema = {
  ...mapSchema(SCREEN_KEYS, {
    name: 'What it is called in the log.',
    before: ['What is looked for before anything is sent.', oneOf(screenedOn('before'))],
    after: ['What is looked for in the answer.', oneOf(screenedOn('after'))],
    then: ['What is done where it finds something; set aside where nothing is said.', oneOf(SCREEN_DEEDS)],
    of: ['The words that are looked for.', texts],
    most: 'Tokens that may go, or words in a row that may be the same.',
  }),
  oneOf: [{ required: ['before'] }, { required: ['after'] }],
}

export const librarySchema: JsonSchema = mapSchema(LIBRARY_KEYS, {
  title: 'What people call the library.',
  about: 'What it is for.',
  locale: 'The language tag by which numbers and dates are written.',
  settings: ['Settings for all prompts.', SETTINGS],
  limits: ['What protects from texts without an end.', limits],
  fence: [
    'How fences around untrusted text are written.',
    mapSchema(FENCE_KEYS, { nonce: 'Whether their tags end in four digits from the seed and the record: <note-7f3a>.' }),
  ],
  screens: ['What is looked for before anything is sent to a model, and in what it says.', listOf(screen)],
})

const AMOUNT: JsonSchema = { type: ['string', 'number'] }
const POINTER: JsonSchema = { type: 'string', pattern: '^(/([^~/]|~[01])*)*$' }

const inner = {
  ended: mapSchema(
    INNER_KEYS.ended,
    {
      at: ['Where the word stands: a JSON Pointer.', POINTER],
      'cut-off': ['The words for an answer that was cut off.', texts],
      refused: ['The words for one that was refused.', texts],
    },
    ['at'],
  ),
  used: mapSchema(
    INNER_KEYS.used,
    { asked: ['Where the tokens of the question stand.', POINTER], answered: ['Where those of the answer stand.', POINTER] },
    ['asked', 'answered'],
  ),
  stream: mapSchema(
    INNER_KEYS.stream,
    { piece: ['Where a piece of the answer stands in an event.', POINTER], last: 'The event that is the last.' },
    ['piece'],
  ),
  'a-minute': mapSchema(INNER_KEYS['a-minute'], { asks: ['Questions a minute.', AMOUNT], tokens: ['Tokens a minute: 200k.', AMOUNT] }),
  price: mapSchema(INNER_KEYS.price, {
    asked: 'What so many tokens of questions cost.',
    answered: 'What so many tokens of answers cost.',
    per: ['For how many tokens; a million where nothing is said.', AMOUNT],
    in: 'The currency.',
  }),
}

const model = mapSchema(
  MODEL_KEYS,
  {
    about: 'Whose it is, and what for.',
    at: ['Its address, asked by POST.', { type: 'string', pattern: '^https?://\\S+$' }],
    headers: ['Headers of a request; {env.NAME} is what the environment holds.', mapOf(SCALAR)],
    envelope: "The form of a request's body.",
    reply: ['Where the text of the answer stands: a JSON Pointer such as /said.', POINTER],
    ended: ['How it says why an answer ended.', inner.ended],
    used: ['How it says what was used.', inner.used],
    stream: ['How it answers in pieces, by server-sent events.', inner.stream],
    'at-once': ['Questions that are under way at a time.', { minimum: 1 }],
    'a-minute': ['What it takes in a minute.', inner['a-minute']],
    wait: ['Seconds until an answer is given up.', { exclusiveMinimum: 0 }],
    tries: ['Requests in all for one question.', { minimum: 1 }],
    'longest-wait': ['The most seconds that it may ask to be left alone by Retry-After; 600 by default.', { exclusiveMinimum: 0 }],
    price: ['What it costs.', inner.price],
  },
  ['at', 'reply'],
)

export const modelsSchema: JsonSchema = mapSchema(
  MODELS_KEYS,
  { usual: 'The model that is asked where nobody says which.', models: ['The models by their names.', mapOf(model)] },
  ['models'],
)
