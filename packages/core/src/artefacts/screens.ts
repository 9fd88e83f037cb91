import { Keys, textsOf } from './keys.js'
import { problem, type Report } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'

export const SCREEN_KEYS = { name: 'text', before: 'text', after: 'text', then: 'text', of: 'list', most: 'integer' } as const

/** What a screen looks for. */
export const SCREENED = ['personal-data', 'key-shaped', 'words', 'tokens', 'copied'] as const
export type Screened = (typeof SCREENED)[number]

/** What is done where it finds something. */
export const SCREEN_DEEDS = ['stop', 'set aside', 'note'] as const
export type ScreenDeed = (typeof SCREEN_DEEDS)[number]

/** A look at what goes to a model, or at what comes back. */
export interface ScreenModel {
  readonly name: string
  readonly side: 'before' | 'after'
  readonly finds: Screened
  readonly deed: ScreenDeed
  readonly words: readonly string[]
  /** Tokens that may go, or words in a row that may be the same. */
  readonly most: number
}

/** What can be looked for on a side: an answer is never too long to be sent, and a question copies nothing. */
export function screenedOn(side: ScreenModel['side']): Screened[] {
  return SCREENED.filter((one) => (one === 'tokens' ? side === 'before' : one === 'copied' ? side === 'after' : true))
}

const USUAL_MOST: Partial<Readonly<Record<Screened, number>>> = { tokens: 8000, copied: 12 }

/** `screens:` of dunelight.yaml. */
export function readScreens(node: YamlNode | undefined, report: Report): ScreenModel[] {
  return (node?.items() ?? []).flatMap((item) => readScreen(item, report))
}

function readScreen(node: YamlNode, report: Report): ScreenModel[] {
  const keys = new Keys(node, 'a screen', SCREEN_KEYS, report)
  const side = keys.has('before') ? 'before' : 'after'
  const named = keys.required(side)
  const unfit = (key: string, expected: string, found: string, at: YamlNode) =>
    report(problem('key-unfit', { key, expected, found }, at.span))
  const allowed = screenedOn(side)
  const finds = allowed.find((one) => one === named?.string)
  if (named && !finds) unfit(side, `one of ${allowed.join(', ')}`, JSON.stringify(named.string), named)
  if (keys.has('before') && keys.has('after')) unfit('after', 'a screen of its own', 'beside "before"', keys.get('after') ?? node)
  const then = keys.get('then')
  const deed = then ? SCREEN_DEEDS.find((one) => one === then.string) : 'set aside'
  if (then && !deed) unfit('then', `one of ${SCREEN_DEEDS.join(', ')}`, JSON.stringify(then.string), then)
  const of = keys.get('of')
  if (finds === 'words' && !of) keys.required('of')
  if (of && finds && finds !== 'words') unfit('of', 'said of words alone', `beside ${finds}`, of)
  if (!finds || !deed) return []
  const most = keys.number('most') ?? USUAL_MOST[finds] ?? 0
  return [{ name: keys.text('name') ?? `${side} ${finds}`, side, finds, deed, words: of ? textsOf(of, 'of', report) : [], most }]
}
