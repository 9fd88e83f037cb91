import type { JsonSchema } from 'dunelight/parts'
import { answerSchema, variablesSchema } from '../operations/catalogue.js'
import { exampleOf } from '../operations/schemas.js'
import type { Wording } from '../wordings/wording.js'

type Json = Readonly<Record<string, unknown>>

const PROBLEM_STATUSES = ['400', '401', '403', '404', '409', '413', '415', '422', '429', '503'] as const
const MODEL_STATUSES = ['502', '504'] as const

/**
 * The OpenAPI 3.1 document of the prompts that a caller may use: one literal path for each prompt and operation, so that a generated client has
 * a function with types of its own for each.
 */
export function openApiOf(wordings: readonly Wording[], title: string): Json {
  const ids = uniqueIds(wordings)
  return {
    openapi: '3.1.1',
    info: { title, version: '1', description: 'The prompts of a library: rendered, asked, and replies read.' },
    security: [{ token: [] }],
    paths: Object.fromEntries(wordings.flatMap((wording) => pathsOf(wording, ids.get(wording.name) ?? wording.name))),
    components: {
      securitySchemes: { token: { type: 'http', scheme: 'bearer' } },
      schemas: { Turn: TURN, Problem: PROBLEM, Usage: USAGE },
      responses: {
        Problem: { description: 'Why there is no result.', content: { 'application/problem+json': { schema: refTo('Problem') } } },
      },
    },
  }
}

function pathsOf(wording: Wording, id: string): [string, Json][] {
  const { name, prompt, tags } = wording
  const values = variablesSchema(wording)
  const answer = answerSchema(wording)
  const shared = { tags: tags.length > 0 ? [tags[0]] : ['prompts'], ...(prompt.about !== undefined && { description: prompt.about }) }
  const request = requestSchema(values)
  const example = { values: exampleOf(prompt.variables) }
  const operation = (what: string, summary: string, body: JsonSchema, result: JsonSchema, isAsked = false): Json => ({
    post: {
      operationId: `${what}_${id}`,
      summary,
      ...shared,
      parameters: [KEY_PARAMETER],
      requestBody: { required: true, content: { 'application/json': { schema: body, ...(what !== 'read' && { example }) } } },
      responses: {
        '200': {
          description: 'The result.',
          content: {
            'application/json': { schema: result },
            ...(isAsked && { 'text/event-stream': { schema: { type: 'string', description: 'Events: text, then answer or problem.' } } }),
          },
        },
        ...Object.fromEntries(
          [...PROBLEM_STATUSES, ...(isAsked ? MODEL_STATUSES : [])].map((status) => [status, { $ref: '#/components/responses/Problem' }]),
        ),
      },
    },
  })
  const path = name.split('/').map(encodeURIComponent).join('/')
  return [
    [`/render/${path}`, operation('render', `Render: ${prompt.title}`, request, rendering())],
    [`/ask/${path}`, operation('ask', `Ask: ${prompt.title}`, request, asked(answer), true)],
    [`/read/${path}`, operation('read', `Read a reply: ${prompt.title}`, readSchema(values), read(answer))],
  ]
}

/** The names of prompts as identifiers; two that come out alike are told apart by a number. */
function uniqueIds(wordings: readonly Wording[]): ReadonlyMap<string, string> {
  const taken = new Set<string>()
  return new Map(
    wordings.map(({ name }) => {
      const plain = name.replace(/[^A-Za-z0-9]+/g, '_')
      let id = plain
      for (let number = 2; taken.has(id); number++) id = `${plain}_${number}`
      taken.add(id)
      return [name, id]
    }),
  )
}

const TEXT = { type: 'string' }
const TEXTS = { type: 'array', items: TEXT }
const EDITION = { type: 'integer', minimum: 1, description: 'An edition by its number, if the caller may name one.' }
const CHANNEL = { type: 'string', description: 'The channel whose edition is used. Default: the first one of the caller.' }

function requestSchema(values: JsonSchema): JsonSchema {
  return {
    type: 'object',
    properties: {
      values,
      edition: EDITION,
      channel: CHANNEL,
      locale: { ...TEXT, description: 'A language tag, in place of the library’s.' },
      seed: { type: 'integer', description: 'Chooses between wordings that vary.' },
    },
    required: ['values'],
    additionalProperties: false,
  }
}

function readSchema(values: JsonSchema): JsonSchema {
  const { properties, ...rest } = requestSchema(values)
  const text = { ...TEXT, description: 'The reply of a model.' }
  return { ...rest, properties: { text, ...(properties as object) }, required: ['text'] }
}

const WHERE_FROM = { edition: EDITION, fingerprint: { ...TEXT, description: 'SHA-256 of the turns.' } }

function rendering(): JsonSchema {
  return {
    type: 'object',
    properties: { turns: { type: 'array', items: refTo('Turn') }, ...WHERE_FROM },
    required: ['turns', 'fingerprint'],
  }
}

function asked(answer: JsonSchema): JsonSchema {
  return {
    type: 'object',
    properties: {
      answer,
      text: TEXT,
      ...WHERE_FROM,
      model: TEXT,
      usage: refTo('Usage'),
      repairs: TEXTS,
      unsupported: { ...TEXTS, description: 'Figures, dates and names that occur in no input.' },
      notes: TEXTS,
      corrections: { type: 'integer' },
      cached: { type: 'boolean' },
      isMock: { type: 'boolean' },
    },
    required: ['answer', 'text', 'fingerprint', 'model', 'repairs', 'unsupported', 'notes', 'corrections', 'cached'],
  }
}

function read(answer: JsonSchema): JsonSchema {
  return { type: 'object', properties: { answer, edition: EDITION, repairs: TEXTS, unsupported: TEXTS }, required: ['answer', 'repairs'] }
}

function refTo(name: string): JsonSchema {
  return { $ref: `#/components/schemas/${name}` }
}

const TURN = {
  type: 'object',
  properties: {
    role: { type: 'string', enum: ['system', 'user', 'assistant'] },
    text: TEXT,
    name: TEXT,
    parts: { type: 'array', items: {} },
  },
  required: ['role', 'text'],
}
const USAGE = { type: 'object', properties: { sent: { type: 'integer' }, received: { type: 'integer' } }, required: ['sent', 'received'] }
const PROBLEM = {
  type: 'object',
  properties: {
    type: TEXT,
    title: TEXT,
    status: { type: 'integer' },
    detail: TEXT,
    problems: {
      type: 'array',
      items: {
        type: 'object',
        properties: { code: TEXT, message: TEXT, help: TEXT, pointer: { ...TEXT, description: 'A JSON Pointer into values.' } },
        required: ['code', 'message'],
      },
    },
  },
  required: ['type', 'title', 'status', 'detail'],
}
const KEY_PARAMETER = {
  name: 'Idempotency-Key',
  in: 'header',
  required: false,
  description: 'A request that is repeated with the same key gets the same result.',
  schema: { type: 'string', minLength: 1, maxLength: 200 },
}
