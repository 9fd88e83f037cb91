import { defined } from '../invariant.js'
import { readAmount } from './batch.js'
import { Keys, textsOf, type KeyKind } from './keys.js'
import type { Named } from './artefacts.js'
import { problem, type Report } from '../problems/problem.js'
import type { Span } from '../source/source.js'
import type { YamlNode } from '../source/yaml.js'

/** How one model is asked over HTTP, without a word on who runs it. */
export interface ModelDescription {
  readonly name: string
  readonly about: string | undefined
  /** Where it is asked. */
  readonly at: string
  /** In texts, `{env.NAME}` stands for what the environment holds. */
  readonly headers: Readonly<Record<string, string>>
  /** The form of a request's body: an envelope of the library. */
  readonly envelope: Named | undefined
  /** JSON Pointers into what the service sends. */
  readonly reply: string
  readonly ended: { readonly at: string; readonly cutOff: readonly string[]; readonly refused: readonly string[] } | undefined
  readonly used: { readonly asked: string; readonly answered: string } | undefined
  /** Where answers come in pieces, as server-sent events: where a piece stands, and the event that is the last. */
  readonly stream: { readonly piece: string; readonly last: string | undefined } | undefined
  /** Requests that are under way at a time. */
  readonly atOnce: number
  readonly aMinute: { readonly asks: number | undefined; readonly tokens: number | undefined }
  /** Seconds after which an answer is given up. */
  readonly wait: number
  /** The longest time, in seconds, that a service may ask to be left alone; beyond it the run stops, and can be resumed. */
  readonly longestWait: number
  /** How often a request is made in all, where the service is busy or silent. */
  readonly tries: number
  readonly price: { readonly asked: number; readonly answered: number; readonly per: number; readonly currency: string } | undefined
  readonly span: Span
}

export interface ModelList {
  /** The model that is asked where neither the prompt nor anyone else says which. */
  readonly usual: string | undefined
  readonly models: ReadonlyMap<string, ModelDescription>
}

export const MODELS_KEYS = { usual: 'text', models: 'map' } as const
export const MODEL_KEYS = {
  about: 'text',
  at: 'text',
  headers: 'map',
  envelope: 'text',
  reply: 'text',
  ended: 'map',
  used: 'map',
  stream: 'map',
  'at-once': 'integer',
  'a-minute': 'map',
  wait: 'number',
  tries: 'integer',
  'longest-wait': 'number',
  price: 'map',
} as const
/** The keys within some of a model's keys. */
export const INNER_KEYS = {
  ended: { at: 'text', 'cut-off': 'list', refused: 'list' },
  used: { asked: 'text', answered: 'text' },
  stream: { piece: 'text', last: 'text' },
  'a-minute': { asks: 'any', tokens: 'any' },
  price: { asked: 'number', answered: 'number', per: 'any', in: 'text' },
} as const

export const NO_MODELS: ModelList = { usual: undefined, models: new Map() }

/** models.yaml */
export function readModels(root: YamlNode, report: Report): ModelList {
  const keys = new Keys(root, 'models.yaml', MODELS_KEYS, report)
  const models = new Map<string, ModelDescription>()
  for (const { key, value } of keys.required('models')?.entries() ?? []) {
    const found = readModel(key, value, report)
    if (found) models.set(key, found)
  }
  const usual = keys.get('usual')
  const known = [...models.keys(), STAND_IN]
  if (usual && !known.includes(usual.string ?? '')) report(problem('model-unknown', { name: usual.string ?? '', known }, usual.span))
  return { usual: usual?.string, models }
}

/** The name of the model that makes answers up: it is always there. */
export const STAND_IN = 'stand-in'

function readModel(name: string, node: YamlNode, report: Report): ModelDescription | undefined {
  const keys = new Keys(node, 'a model', MODEL_KEYS, report)
  const unfit = (key: string, expected: string, at: YamlNode) =>
    report(problem('model-key-unfit', { key, expected, found: JSON.stringify(at.string ?? at.data()) }, at.span))
  const pointer = (at: YamlNode | undefined, key: string): string => {
    const text = at?.string ?? ''
    if (at && text !== '' && !/^(?:\/(?:[^~/]|~[01])*)+$/.test(text)) unfit(key, 'a JSON Pointer such as /answer/text', at)
    return text
  }
  const least = (key: 'at-once' | 'wait' | 'tries' | 'longest-wait', usual: number): number => {
    const value = keys.number(key)
    if (value === undefined || value > 0) return value ?? usual
    unfit(key, 'more than 0', defined(keys.get(key)))
    return usual
  }
  const at = keys.required('at')
  const reply = keys.required('reply')
  if (name === STAND_IN) unfit('name', 'another name: the stand-in has this one', node)
  if (at && !/^https?:\/\/\S+$/.test(at.string ?? '')) unfit('at', 'an address such as https://…', at)
  if (!at || !reply) return undefined
  const inner = <K extends keyof typeof INNER_KEYS>(key: K) => {
    const found = keys.get(key)
    return (
      found && new Keys<keyof (typeof INNER_KEYS)[K] & string>(found, key, INNER_KEYS[key] as Readonly<Record<string, KeyKind>>, report)
    )
  }
  const ended = inner('ended')
  const used = inner('used')
  const stream = inner('stream')
  const minute = inner('a-minute')
  const price = inner('price')
  const amount = (found: Keys<string> | undefined, key: string): number | undefined => {
    const said = found?.get(key)
    const number = said && readAmount(said.string ?? String(said.scalar))
    if (said && number === undefined) unfit(key, 'a number such as 600 or 200k', said)
    return number
  }
  const envelope = keys.get('envelope')
  return {
    name,
    about: keys.text('about'),
    at: at.string ?? '',
    headers: Object.fromEntries(
      (keys.get('headers')?.entries() ?? []).map(({ key, value }) => [key, value.string ?? String(value.scalar)]),
    ),
    envelope: envelope && { name: (envelope.string ?? '').trim(), span: envelope.span },
    reply: pointer(reply, 'reply'),
    ended: ended && {
      at: pointer(ended.required('at'), 'at'),
      cutOff: textsIn(ended.get('cut-off'), 'cut-off', report),
      refused: textsIn(ended.get('refused'), 'refused', report),
    },
    used: used && { asked: pointer(used.required('asked'), 'asked'), answered: pointer(used.required('answered'), 'answered') },
    stream: stream && { piece: pointer(stream.required('piece'), 'piece'), last: stream.text('last') },
    atOnce: least('at-once', 8),
    aMinute: { asks: amount(minute, 'asks'), tokens: amount(minute, 'tokens') },
    wait: least('wait', 120),
    longestWait: least('longest-wait', 600),
    tries: Math.round(least('tries', 5)),
    price: price && {
      asked: price.number('asked') ?? 0,
      answered: price.number('answered') ?? 0,
      per: amount(price, 'per') ?? 1_000_000,
      currency: price.text('in') ?? '',
    },
    span: node.span,
  }
}

function textsIn(node: YamlNode | undefined, key: string, report: Report): readonly string[] {
  return node ? textsOf(node, key, report) : []
}
