import { Keys, textsOf } from './keys.js'
import { problem, type Report } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'

export const SCREEN_KEYS = { name: 'text', 'applies-to': 'text', finds: 'text', action: 'text', words: 'list', limit: 'integer' } as const

/** What a screen looks for. */
export const SCREENED = ['personal-data', 'key-shaped', 'words', 'tokens', 'copied'] as const
export type Screened = (typeof SCREENED)[number]

export const SCREEN_SIDES = ['request', 'reply'] as const
export type ScreenSide = (typeof SCREEN_SIDES)[number]

export const SCREEN_ACTIONS = ['stop', 'reject', 'note'] as const
export type ScreenAction = (typeof SCREEN_ACTIONS)[number]

/** A check of every request to a model, or of every reply. */
export interface ScreenModel {
  readonly name: string
  readonly side: ScreenSide
  readonly finds: Screened
  readonly action: ScreenAction
  readonly words: readonly string[]
  /** Tokens that a request may have, or consecutive words that a reply may copy. */
  readonly limit: number
}

/** What a screen of a side can look for: a reply has no token limit, and a request copies nothing. */
export function screenedOn(side: ScreenSide): Screened[] {
  return SCREENED.filter((kind) => (kind === 'tokens' ? side === 'request' : kind === 'copied' ? side === 'reply' : true))
}

const DEFAULT_LIMIT: Partial<Readonly<Record<Screened, number>>> = { tokens: 8000, copied: 12 }

/** Reads `screens:` of dunelight.yaml. */
export function readScreens(node: YamlNode | undefined, report: Report): ScreenModel[] {
  return (node?.items() ?? []).flatMap((item) => readScreen(item, report))
}

function readScreen(node: YamlNode, report: Report): ScreenModel[] {
  const keys = new Keys(node, 'a screen', SCREEN_KEYS, report)
  const invalid = (key: string, expected: string, text: string, place: YamlNode) =>
    report(problem('key-invalid', { key, expected, found: text }, place.span))
  const choice = <T extends string>(key: keyof typeof SCREEN_KEYS, options: readonly T[], value: YamlNode | undefined): T | undefined => {
    const option = options.find((known) => known === value?.string)
    if (value && option === undefined) invalid(key, `one of ${options.join(', ')}`, JSON.stringify(value.string), value)
    return option
  }
  const side = choice('applies-to', SCREEN_SIDES, keys.required('applies-to'))
  const finds = choice('finds', side ? screenedOn(side) : SCREENED, keys.required('finds'))
  const action = keys.has('action') ? choice('action', SCREEN_ACTIONS, keys.get('action')) : 'reject'
  const words = keys.get('words')
  if (finds === 'words' && !words) keys.required('words')
  if (words && finds && finds !== 'words') invalid('words', 'a screen with "finds: words"', `"finds: ${finds}"`, words)
  if (!side || !finds || !action) return []
  const limit = keys.number('limit') ?? DEFAULT_LIMIT[finds] ?? 0
  return [
    { name: keys.text('name') ?? `${side} ${finds}`, side, finds, action, words: words ? textsOf(words, 'words', report) : [], limit },
  ]
}
