import { defined } from '../invariant.js'
import { readAmount } from './amounts.js'
import { Keys, textsOf, type KeyKind } from './keys.js'
import type { Named } from './artefacts.js'
import { problem, type Report } from '../problems/problem.js'
import type { Span } from '../source/source.js'
import type { YamlNode } from '../source/yaml.js'

/** How to ask one model over HTTP. */
export interface ModelDescription {
  readonly name: string
  readonly about: string | undefined
  readonly url: string
  /** `{env.NAME}` in a text inserts an environment variable. */
  readonly headers: Readonly<Record<string, string>>
  /** The shape of the request body: an envelope of the library. */
  readonly envelope: Named | undefined
  /** A JSON Pointer to the reply's text in the response. */
  readonly answer: string
  readonly finish: { readonly pointer: string; readonly cutOff: readonly string[]; readonly refused: readonly string[] } | undefined
  readonly usage: { readonly sent: string; readonly received: string } | undefined
  /** For a response of server-sent events: a JSON Pointer to each piece of text, and the event that ends the stream. */
  readonly stream: { readonly piece: string; readonly last: string | undefined } | undefined
  /** Requests in flight at the same time. */
  readonly concurrency: number
  readonly perMinute: { readonly requests: number | undefined; readonly tokens: number | undefined }
  /** Seconds to wait for a reply. */
  readonly timeout: number
  /** The longest Retry-After, in seconds, that the run waits for. Above it, the run stops and can be resumed. */
  readonly maxWait: number
  /** Requests per question, the first included. */
  readonly attempts: number
  readonly price: { readonly sent: number; readonly received: number; readonly per: number; readonly currency: string } | undefined
  readonly span: Span
}

export interface ModelList {
  /** The model for prompts and calls that name none. */
  readonly defaultModel: string | undefined
  readonly models: ReadonlyMap<string, ModelDescription>
}

export const MODELS_KEYS = { default: 'text', models: 'map' } as const
export const MODEL_KEYS = {
  about: 'text',
  url: 'text',
  headers: 'map',
  envelope: 'text',
  answer: 'text',
  finish: 'map',
  usage: 'map',
  stream: 'map',
  concurrency: 'integer',
  'per-minute': 'map',
  timeout: 'number',
  attempts: 'integer',
  'max-wait': 'number',
  price: 'map',
} as const
/** The keys inside those of a model's keys that are maps. */
export const INNER_KEYS = {
  finish: { at: 'text', 'cut-off': 'list', refused: 'list' },
  usage: { sent: 'text', received: 'text' },
  stream: { piece: 'text', last: 'text' },
  'per-minute': { requests: 'any', tokens: 'any' },
  price: { sent: 'number', received: 'number', per: 'any', currency: 'text' },
} as const

export const NO_MODELS: ModelList = { defaultModel: undefined, models: new Map() }

/** Reads models.yaml. */
export function readModels(root: YamlNode, report: Report): ModelList {
  const keys = new Keys(root, 'models.yaml', MODELS_KEYS, report)
  const models = new Map<string, ModelDescription>()
  for (const { key, value } of keys.required('models')?.entries() ?? []) {
    const model = readModel(key, value, report)
    if (model) models.set(key, model)
  }
  const named = keys.get('default')
  const known = [...models.keys(), MOCK_MODEL]
  if (named && !known.includes(named.string ?? '')) report(problem('model-unknown', { name: named.string ?? '', known }, named.span))
  return { defaultModel: named?.string, models }
}

/** The name of the built-in model that invents replies. */
export const MOCK_MODEL = 'mock'

function readModel(name: string, node: YamlNode, report: Report): ModelDescription | undefined {
  const keys = new Keys(node, 'a model', MODEL_KEYS, report)
  const invalid = (key: string, expected: string, place: YamlNode) =>
    report(problem('model-key-invalid', { key, expected, found: JSON.stringify(place.string ?? place.data()) }, place.span))
  const pointer = (place: YamlNode | undefined, key: string): string => {
    const text = place?.string ?? ''
    if (place && text !== '' && !/^(?:\/(?:[^~/]|~[01])*)+$/.test(text)) invalid(key, 'a JSON Pointer such as /answer/text', place)
    return text
  }
  const positive = (key: 'concurrency' | 'timeout' | 'attempts' | 'max-wait', fallback: number): number => {
    const value = keys.number(key)
    if (value === undefined || value > 0) return value ?? fallback
    invalid(key, 'a number above 0', defined(keys.get(key)))
    return fallback
  }
  const url = keys.required('url')
  const answer = keys.required('answer')
  if (name === MOCK_MODEL) invalid('name', 'another name: the built-in mock model has this one', node)
  if (url && !/^https?:\/\/\S+$/.test(url.string ?? '')) invalid('url', 'a URL such as https://…', url)
  if (!url || !answer) return undefined
  const inner = <K extends keyof typeof INNER_KEYS>(key: K) => {
    const map = keys.get(key)
    return map && new Keys<keyof (typeof INNER_KEYS)[K] & string>(map, key, INNER_KEYS[key] as Readonly<Record<string, KeyKind>>, report)
  }
  const finish = inner('finish')
  const usage = inner('usage')
  const stream = inner('stream')
  const minute = inner('per-minute')
  const price = inner('price')
  const amount = (map: Keys<string> | undefined, key: string): number | undefined => {
    const value = map?.get(key)
    const number = value && readAmount(value.string ?? String(value.scalar))
    if (value && number === undefined) invalid(key, 'a number such as 600 or 200k', value)
    return number
  }
  const envelope = keys.get('envelope')
  return {
    name,
    about: keys.text('about'),
    url: url.string ?? '',
    headers: Object.fromEntries(
      (keys.get('headers')?.entries() ?? []).map(({ key, value }) => [key, value.string ?? String(value.scalar)]),
    ),
    envelope: envelope && { name: (envelope.string ?? '').trim(), span: envelope.span },
    answer: pointer(answer, 'answer'),
    finish: finish && {
      pointer: pointer(finish.required('at'), 'at'),
      cutOff: textsIn(finish.get('cut-off'), 'cut-off', report),
      refused: textsIn(finish.get('refused'), 'refused', report),
    },
    usage: usage && { sent: pointer(usage.required('sent'), 'sent'), received: pointer(usage.required('received'), 'received') },
    stream: stream && { piece: pointer(stream.required('piece'), 'piece'), last: stream.text('last') },
    concurrency: positive('concurrency', 8),
    perMinute: { requests: amount(minute, 'requests'), tokens: amount(minute, 'tokens') },
    timeout: positive('timeout', 120),
    maxWait: positive('max-wait', 600),
    attempts: Math.round(positive('attempts', 5)),
    price: price && {
      sent: price.number('sent') ?? 0,
      received: price.number('received') ?? 0,
      per: amount(price, 'per') ?? 1_000_000,
      currency: price.text('currency') ?? '',
    },
    span: node.span,
  }
}

function textsIn(node: YamlNode | undefined, key: string, report: Report): readonly string[] {
  return node ? textsOf(node, key, report) : []
}
