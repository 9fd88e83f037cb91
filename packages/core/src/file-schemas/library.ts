import { listOf, mapOf, mapSchema, oneOf, SCALAR, texts, type KeyWords } from './keys.js'
import { SETTINGS } from './prompt.js'
import { DEFAULT_LIMITS } from '../artefacts/artefacts.js'
import { AUDIT_KEYS } from '../artefacts/audit.js'
import { FENCE_KEYS, LIBRARY_KEYS, LIMIT_KEYS, PERSONAL_KEYS } from '../artefacts/library-file.js'
import { INNER_KEYS, MODEL_KEYS, MODELS_KEYS } from '../artefacts/models.js'
import { SCREEN_ACTIONS, SCREEN_KEYS, SCREEN_SIDES, SCREENED, screenedOn } from '../artefacts/screens.js'
import type { JsonSchema } from '../interop/to-schema.js'

const limit = (about: string, fallback: number): KeyWords => [`${about}. Default: ${fallback}.`, { minimum: 1 }]

const limits = mapSchema(LIMIT_KEYS, {
  nesting: limit('How deep blocks may be nested', DEFAULT_LIMITS.nesting),
  repeats: limit('How often each may repeat', DEFAULT_LIMITS.repeats),
  'rendering-bytes': limit('The largest size of a rendering in bytes', DEFAULT_LIMITS.renderingBytes),
  'attachment-bytes': limit('The largest size of an attached file in bytes', DEFAULT_LIMITS.attachmentBytes),
  'reply-characters': limit('The largest length of a reply in characters', DEFAULT_LIMITS.replyCharacters),
  steps: limit('How many items and characters the formats and conditions of a rendering may process', DEFAULT_LIMITS.steps),
  aliases: limit('How often anchors of a file may be used', DEFAULT_LIMITS.aliases),
})

const screen: JsonSchema = {
  ...mapSchema(
    SCREEN_KEYS,
    {
      name: 'The name in the log.',
      'applies-to': ['Whether it checks requests or replies.', oneOf(SCREEN_SIDES)],
      finds: ['What it looks for. "tokens" is for requests, "copied" for replies.', oneOf(SCREENED)],
      action: ['What happens if it finds something. Default: reject.', oneOf(SCREEN_ACTIONS)],
      words: ['The words that "finds: words" looks for.', texts],
      limit: 'Tokens that a request may have, or consecutive words that a reply may copy.',
    },
    ['applies-to', 'finds'],
  ),
  anyOf: SCREEN_SIDES.map((side) => ({
    properties: {
      'applies-to': { description: 'One of both sides.', const: side },
      finds: { description: `What a screen of a ${side} can look for.`, enum: screenedOn(side) },
    },
  })),
}

export const librarySchema: JsonSchema = mapSchema(LIBRARY_KEYS, {
  id: ['What approvals and channels name the library by. It never changes.', { pattern: '^[A-Za-z0-9_-]{16,64}$' }],
  title: 'The title of the library.',
  about: 'What the library is for.',
  locale: 'The language tag for writing numbers and dates.',
  country: [
    'The country whose telephone numbers are recognised, as two letters. Default: the region of the locale.',
    { pattern: '^[A-Z]{2}$' },
  ],
  settings: ['Settings for all prompts.', SETTINGS],
  'personal-data': [
    'What counts as personal data, for the format masked and for screens.',
    mapSchema(PERSONAL_KEYS, {
      'min-score': ['Findings below this score are left alone. Default: 0.5.', { minimum: 0, maximum: 1 }],
      names: ['Names and addresses to find.', texts],
    }),
  ],
  audit: [
    'Records everything that is asked, in the folder audit.',
    mapSchema(AUDIT_KEYS, {
      checkpoints: 'A file or an address for checkpoints: the log cannot be changed unnoticed before the last one.',
      'store-values': 'Whether values and replies are stored. Default: false.',
      retention: ['Days after which stored values, replies and cached answers are deleted.', { minimum: 1 }],
    }),
  ],
  limits: ['Limits on sizes and repetitions.', limits],
  fence: [
    'How fences around untrusted text are written.',
    mapSchema(FENCE_KEYS, { nonce: 'Whether tags end in four digits made from the seed and the record: <note-7f3a>.' }),
  ],
  screens: ['Checks of every request to a model and of every reply.', listOf(screen)],
})

const AMOUNT: JsonSchema = { type: ['string', 'number'] }
const POINTER: JsonSchema = { type: 'string', pattern: '^(/([^~/]|~[01])*)*$' }

const inner = {
  finish: mapSchema(
    INNER_KEYS.finish,
    {
      at: ['A JSON Pointer to the finish reason.', POINTER],
      'cut-off': ['The finish reasons of a reply that was cut off.', texts],
      refused: ['The finish reasons of a refusal.', texts],
    },
    ['at'],
  ),
  usage: mapSchema(
    INNER_KEYS.usage,
    { sent: ['A JSON Pointer to the tokens of the request.', POINTER], received: ['A JSON Pointer to the tokens of the reply.', POINTER] },
    ['sent', 'received'],
  ),
  stream: mapSchema(
    INNER_KEYS.stream,
    { piece: ['A JSON Pointer to the piece of text in an event.', POINTER], last: 'The event that ends the stream.' },
    ['piece'],
  ),
  'per-minute': mapSchema(INNER_KEYS['per-minute'], {
    requests: ['Requests per minute.', AMOUNT],
    tokens: ['Tokens per minute: 200k.', AMOUNT],
  }),
  price: mapSchema(INNER_KEYS.price, {
    sent: 'The price of tokens in requests.',
    received: 'The price of tokens in replies.',
    per: ['The number of tokens that the price is for. Default: 1m.', AMOUNT],
    currency: 'The currency.',
  }),
}

const model = mapSchema(
  MODEL_KEYS,
  {
    about: 'Who runs it, and what it is for.',
    url: ['The address that receives the POST request.', { type: 'string', pattern: '^https?://\\S+$' }],
    headers: ['Request headers; {env.NAME} inserts an environment variable.', mapOf(SCALAR)],
    envelope: 'The shape of the request body: a file in envelopes/.',
    answer: ['A JSON Pointer to the text of the reply, such as /said.', POINTER],
    finish: ['Where the response has the finish reason.', inner.finish],
    usage: ['Where the response has the tokens used.', inner.usage],
    stream: ['How the reply is streamed as server-sent events.', inner.stream],
    concurrency: ['Requests in flight at the same time. Default: 8.', { minimum: 1 }],
    'per-minute': ['Rate limits.', inner['per-minute']],
    timeout: ['Seconds to wait for a reply. Default: 120.', { exclusiveMinimum: 0 }],
    attempts: ['Requests per question, the first included. Default: 5.', { minimum: 1 }],
    'max-wait': ['The longest Retry-After in seconds that a run waits for. Default: 600.', { exclusiveMinimum: 0 }],
    price: ['What it costs.', inner.price],
  },
  ['url', 'answer'],
)

export const modelsSchema: JsonSchema = mapSchema(
  MODELS_KEYS,
  { default: 'The model for prompts and commands that name none.', models: ['The models by name.', mapOf(model)] },
  ['models'],
)
