import { problem, type Report } from '../problems/problem.js'
import { nearest } from '../problems/suggest.js'
import type { Span } from '../source/source.js'
import type { YamlNode } from '../source/yaml.js'

/** What a key takes, in words, and whether a node is that. */
const KINDS = {
  text: { words: 'a text', fits: (n: YamlNode) => n.kind === 'scalar' },
  map: { words: 'keys with values', fits: (n: YamlNode) => n.kind === 'map' },
  list: { words: 'a list', fits: (n: YamlNode) => n.kind === 'list' },
  integer: { words: 'a whole number', fits: (n: YamlNode) => Number.isInteger(n.scalar) },
  number: { words: 'a number', fits: (n: YamlNode) => typeof n.scalar === 'number' },
  boolean: { words: 'true or false', fits: (n: YamlNode) => typeof n.scalar === 'boolean' },
  any: { words: 'a value', fits: (n: YamlNode) => n.kind !== 'empty' },
}
export type KeyKind = keyof typeof KINDS

/** Keys of earlier versions, by what they were a key of, with the present ones. */
const RENAMED: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'an example set': { ask: 'input', answer: 'expected, or expected-form: output' },
  'a turn': { ask: 'input' },
  'a variable': { outside: 'untrusted' },
  'a field': { outside: 'untrusted' },
  limits: { 'reply-signs': 'reply-characters' },
  'models.yaml': { usual: 'default' },
  'a model': {
    at: 'url',
    reply: 'answer',
    ended: 'finish',
    used: 'usage',
    'at-once': 'concurrency',
    'a-minute': 'per-minute',
    wait: 'timeout',
    tries: 'attempts',
    'longest-wait': 'max-wait',
  },
  'per-minute': { asks: 'requests' },
  usage: { asked: 'sent', answered: 'received' },
  price: { asked: 'sent', answered: 'received', in: 'currency' },
  'a screen': { before: 'applies-to: request', after: 'applies-to: reply', then: 'action', of: 'words', most: 'limit' },
}

/** Keys of earlier versions that have no successor, with what to do. */
const DROPPED: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'a prompt': { version: 'remove it: dunelight publish numbers the editions of a prompt' },
}

const DECLARED = { values: 'of', enum: 'of', options: 'of', choices: 'of', description: 'about' }
/** Keys that other formats have, by what they are a key of here, with ours. */
const FOREIGN: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'a variable': DECLARED,
  'a field': DECLARED,
  'a prompt': { messages: 'turns', inputs: 'variables', description: 'about', name: 'title' },
  'a snippet': { description: 'about', name: 'title', content: 'text', template: 'text' },
}

/** The keys of one map, each read once by what it takes; unknown ones were reported when it was made. */
export class Keys<K extends string> {
  private readonly nodes = new Map<string, YamlNode>()
  private readonly spans = new Map<string, Span>()

  constructor(
    readonly node: YamlNode,
    /** In words, for messages: `a prompt`. */
    readonly of: string,
    known: Readonly<Record<K, KeyKind>>,
    private readonly report: Report,
  ) {
    const entries = node.entries()
    for (const { key, keySpan, value } of entries) {
      this.spans.set(key, keySpan)
      if (Object.hasOwn(known, key)) {
        if (value.kind !== 'empty' && this.fits(key, known[key as K], value)) this.nodes.set(key, value)
        continue
      }
      const help = DROPPED[of]?.[key]
      if (help !== undefined) {
        report(problem('key-dropped', { key, of, help }, keySpan))
        continue
      }
      const foreign = FOREIGN[of]?.[key]
      if (foreign !== undefined) report(problem('foreign-word', { written: `${key}:`, meant: `${foreign}:` }, keySpan))
      else
        report(
          problem(
            'key-unknown',
            {
              key,
              known: Object.keys(known),
              of,
              renamed: RENAMED[of]?.[key],
              ...(isCutText(key, value) && { cut: true }),
            },
            keySpan,
          ),
        )
      // What a misspelt key gives is taken as meant: it is one problem, not two.
      const free = Object.keys(known).filter((other) => !entries.some((entry) => entry.key === other))
      const meant = foreign ?? nearest(key, free)
      if (meant === undefined || !free.includes(meant)) continue
      this.spans.set(meant, keySpan)
      if (KINDS[known[meant as K]].fits(value)) this.nodes.set(meant, value)
    }
  }

  private fits(key: string, kind: KeyKind, value: YamlNode): boolean {
    const { words, fits } = KINDS[kind]
    if (fits(value)) return true
    const slot = kind === 'text' && isSlot(value)
    this.report(problem('key-invalid', { key, expected: words, found: kindWords(value), ...(slot && { slot }) }, value.span))
    return false
  }

  has(key: K): boolean {
    return this.spans.has(key)
  }

  get(key: K): YamlNode | undefined {
    return this.nodes.get(key)
  }

  keySpan(key: K): Span | undefined {
    return this.spans.get(key)
  }

  text(key: K): string | undefined {
    return this.nodes.get(key)?.string
  }

  number(key: K): number | undefined {
    return this.nodes.get(key)?.scalar as number | undefined
  }

  boolean(key: K): boolean | undefined {
    return this.nodes.get(key)?.scalar as boolean | undefined
  }

  /** A list of texts; what is none is reported. */
  texts(key: K): string[] | undefined {
    const node = this.nodes.get(key)
    return node && textsOf(node, key, this.report)
  }

  required(key: K): YamlNode | undefined {
    if (!this.has(key)) this.report(problem('key-missing', { key, of: this.of }, this.node.span))
    else if (!this.nodes.has(key) && this.node.entries().some((e) => e.key === key && e.value.kind === 'empty'))
      this.report(problem('key-invalid', { key, expected: 'a value', found: 'nothing' }, this.spans.get(key)))
    return this.nodes.get(key)
  }
}

/** `{ about: lamps, made of brass }`: the second half of a text, which a comma has made a key. */
function isCutText(key: string, value: YamlNode): boolean {
  return value.kind === 'empty' && key.includes(' ')
}

export function textsOf(node: YamlNode, key: string, report: Report): string[] {
  const texts: string[] = []
  for (const item of node.items()) {
    if (item.string !== undefined) texts.push(item.string)
    else report(problem('key-invalid', { key, expected: 'a list of texts', found: kindWords(item) }, item.span))
  }
  return texts
}

/** A text that begins with a slot, without quotes: YAML reads `{title}` as a map. */
function isSlot(node: YamlNode): boolean {
  return node.kind === 'map' && node.entries().every(({ value }) => value.kind === 'empty')
}

export function kindWords(node: YamlNode): string {
  switch (node.kind) {
    case 'map':
      return 'keys with values'
    case 'list':
      return 'a list'
    case 'empty':
      return 'nothing'
    case 'scalar':
      return JSON.stringify(node.scalar)
  }
}
