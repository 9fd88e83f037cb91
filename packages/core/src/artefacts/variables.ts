import { defined } from '../invariant.js'
import { kindWords, Keys, type KeyKind } from './keys.js'
import { readLabels, type Labels } from './labels.js'
import { problem, type Report, type Problem } from '../problems/problem.js'
import type { YamlEntry, YamlNode } from '../source/yaml.js'
import { acceptType, topLevel } from '../values/accept.js'
import { isMissing } from '../values/data.js'
import { instant, isDate, readDateTime } from '../values/dates.js'
import { patternRefused } from '../values/pattern.js'
import { isName, RESERVED } from '../values/names.js'
import { describe, TYPE_NAMES, type Declared, type ValueType } from '../values/types.js'

export const VARIABLE_KEYS = {
  type: 'text',
  about: 'text',
  question: 'text',
  example: 'any',
  optional: 'boolean',
  default: 'any',
  untrusted: 'boolean',
  of: 'any',
  fields: 'map',
  min: 'any',
  max: 'any',
  'min-length': 'integer',
  'max-length': 'integer',
  pattern: 'text',
  'min-words': 'integer',
  'max-words': 'integer',
  'min-items': 'integer',
  'max-items': 'integer',
  unique: 'boolean',
  splits: 'text',
  reads: 'text',
  media: 'list',
} satisfies Record<string, KeyKind>
type Key = keyof typeof VARIABLE_KEYS

const INPUT_ONLY: readonly Key[] = ['untrusted', 'splits', 'reads', 'media', 'question']
export const BOUND_KEYS = ['min', 'max', 'min-length', 'max-length', 'min-words', 'max-words', 'min-items', 'max-items'] as const
export type BoundKey = (typeof BOUND_KEYS)[number]

/** What a reply may hold is declared by fewer keys, and its bounds may be slots. */
export const ANSWER_KEYS = Object.fromEntries(
  Object.entries({ ...VARIABLE_KEYS, ...Object.fromEntries(BOUND_KEYS.map((key) => [key, 'any' as const])) }).filter(
    ([key]) => !INPUT_ONLY.includes(key as Key),
  ),
) as Record<Key, KeyKind>

/** Hears of a bound that is a slot: of which field, which bound. */
export type OnSlot = (path: readonly string[], bound: BoundKey, node: YamlNode) => void

/** What reading declarations needs on its way down. */
interface Declaring {
  readonly what: 'variable' | 'field'
  readonly report: Report
  /** The field being declared, by the names that lead to it. */
  readonly path: readonly string[]
  /** Set for the fields of a reply. */
  readonly onSlot: OnSlot | undefined
}

/** variables: or fields:, a name each with a type alone or with keys. */
export function readDeclarations(node: YamlNode, what: 'variable' | 'field', report: Report): Declared[] {
  return readAll(node, { what, report, path: [], onSlot: undefined })
}

/** The fields that a reply has. */
export function readAnswerFields(node: YamlNode, report: Report, onSlot: OnSlot): Declared[] {
  return readAll(node, { what: 'field', report, path: [], onSlot })
}

function readAll(node: YamlNode, context: Declaring): Declared[] {
  const { what, report } = context
  const declared: Declared[] = []
  for (const entry of node.entries()) {
    const name = entry.key.normalize('NFC')
    // Fields may be called anything: a quoted step reaches every key.
    if (what === 'variable' && !isName(name)) report(problem('name-invalid', { name }, entry.keySpan))
    else if (what === 'variable' && RESERVED.has(name)) report(problem('name-reserved', { name }, entry.keySpan))
    else declared.push(readDeclaration(name, entry, { ...context, path: [...context.path, name] }))
  }
  return declared
}

function readDeclaration(name: string, { value, keySpan }: YamlEntry, context: Declaring): Declared {
  const { what, report, onSlot } = context
  const plain = { name, optional: false, untrusted: false, span: keySpan }
  if (value.kind === 'scalar') return { ...plain, type: readType(value.string ?? '', undefined, value, context) }
  if (value.kind !== 'map') {
    report(problem('key-invalid', { key: name, expected: 'a type, or keys with values', found: kindWords(value) }, keySpan))
    return { ...plain, type: { kind: 'any' } }
  }
  const keys = new Keys<Key>(value, `a ${what}`, onSlot ? ANSWER_KEYS : VARIABLE_KEYS, report)
  const typeNode = keys.required('type')
  const type = typeNode ? readType(typeNode.string ?? '', keys, typeNode, context) : ({ kind: 'any' } as const)
  if (typeNode) reportInapplicable(keys, type, report)
  const about = keys.text('about')
  const question = keys.text('question')
  const example = keys.get('example')
  const declared: Declared = {
    ...plain,
    type,
    optional: keys.boolean('optional') ?? false,
    untrusted: keys.boolean('untrusted') ?? false,
    ...(about !== undefined && { about }),
    ...(question !== undefined && { question }),
    ...(example && { example: example.data() }),
  }
  const fallback = keys.get('default')
  if (!fallback) return declared
  const problems: Problem[] = []
  const data =
    type.kind === 'text' || type.kind === 'choice' || type.kind === 'date' ? (fallback.string ?? fallback.data()) : fallback.data()
  const accepted = isMissing(data) ? null : acceptType(data, type, topLevel(name), (p) => problems.push(p))
  // What a choice without options could be is not known.
  if (problems[0] && !(type.kind === 'choice' && type.of.length === 0))
    report(problem('default-invalid', { name, why: problems[0].message, fix: problems[0].hint }, fallback.span))
  return accepted === null ? declared : { ...declared, default: accepted }
}

/** Types of other languages, with ours. */
const FOREIGN_TYPES: ReadonlyMap<string, string> = new Map([
  ['int', 'integer'],
  ['string', 'text'],
  ['str', 'text'],
  ['bool', 'boolean'],
  ['float', 'number'],
  ['double', 'number'],
  ['decimal', 'number'],
  ['array', 'list of text'],
  ['enum', 'choice'],
  ['object', 'record'],
  ['dict', 'record'],
  ['map', 'record'],
  ['datetime', 'date-time'],
])

/** Our words for a type of another language: `string`, `text[]`; undefined for all others. */
function ownType(words: string): string | undefined {
  const item = /^(?:list|array)\s*[<[(]\s*(.+?)\s*[>\])]$/i.exec(words)?.[1] ?? /^(.+?)\s*\[\s*\]$/.exec(words)?.[1]
  if (item !== undefined) return `list of ${ownType(item) ?? item}`
  const listed = /^list\s+of\s+(\S+)$/.exec(words)?.[1]
  const own = listed === undefined ? undefined : ownType(listed)
  return own === undefined ? FOREIGN_TYPES.get(words.toLowerCase()) : `list of ${own}`
}

/** The keys that every type has. */
const FOR_ALL: readonly string[] = ['type', 'about', 'question', 'example', 'optional', 'default', 'untrusted']

/** The keys of its own that a type has; a list those of its items too. */
function keysOf(type: ValueType): readonly Key[] {
  switch (type.kind) {
    case 'text':
      return ['min-length', 'max-length', 'min-words', 'max-words', 'pattern']
    case 'integer':
    case 'number':
      return ['min', 'max']
    case 'boolean':
      return ['reads']
    case 'date':
    case 'date-time':
      return ['min', 'max', 'reads']
    case 'choice':
      return ['of']
    case 'list':
      return ['min-items', 'max-items', 'unique', 'splits', ...keysOf(type.item)]
    case 'record':
      return ['fields']
    case 'table':
      return ['fields', 'min-items', 'max-items']
    case 'file':
      return ['media']
    case 'turns':
      return []
    case 'any':
      return Object.keys(VARIABLE_KEYS) as Key[]
  }
}

function reportInapplicable(keys: Keys<Key>, type: ValueType, report: Report): void {
  const own = keysOf(type)
  for (const key of Object.keys(VARIABLE_KEYS) as Key[])
    if (keys.get(key) && !FOR_ALL.includes(key) && !own.includes(key))
      report(problem('key-inapplicable', { key, type: describe(type), fits: fitting(key, own) }, keys.keySpan(key)))
}

/** The keys that are likely meant: a least for a least, a most for a most. */
function fitting(key: string, own: readonly Key[]): readonly Key[] {
  const side = /^(?:min|max)/.exec(key)?.[0]
  const alike = side === undefined ? [] : own.filter((other) => other.startsWith(side))
  return alike.length > 0 ? alike : own
}

/** Lists of lists, deeper than any table is. */
const DEEPEST_LIST = 10

/** type = name | "list of" type */
function readType(words: string, keys: Keys<Key> | undefined, node: YamlNode, context: Declaring, depth = 0): ValueType {
  const { report, onSlot } = context
  const meant = ownType(words.trim())
  if (meant !== undefined) report(problem('foreign-word', { written: words.trim(), meant }, node.span))
  const list = /^list\s+of\s+(.+)$/.exec(meant ?? words.trim())
  if (list && depth >= DEEPEST_LIST) {
    report(problem('key-invalid', { key: 'type', expected: `lists at most ${DEEPEST_LIST} deep`, found: 'deeper ones' }, node.span))
    return { kind: 'any' }
  }
  if (list) {
    const item = readType(defined(list[1]), keys, node, context, depth + 1)
    const splits = keys?.text('splits')
    return {
      kind: 'list',
      item,
      ...itemBounds(keys, context),
      ...(keys?.boolean('unique') && { unique: true }),
      ...(splits !== undefined && { splits }),
    }
  }
  const name = meant ?? words.trim()
  if (onSlot && (name === 'file' || name === 'turns')) {
    report(problem('type-unknown', { name, known: TYPE_NAMES.filter((text) => text !== 'file' && text !== 'turns') }, node.span))
    return { kind: 'any' }
  }
  switch (name) {
    case 'list':
      return { kind: 'list', item: { kind: 'text', ...textBounds(keys, context) }, ...itemBounds(keys, context) }
    case 'text':
      return { kind: 'text', ...textBounds(keys, context) }
    case 'integer':
    case 'number':
      return { kind: name, ...numberBounds(keys, context) }
    case 'boolean':
      return { kind: 'boolean', ...reads(keys) }
    case 'date':
    case 'date-time':
      return { kind: name, ...dateBounds(keys, report), ...reads(keys) }
    case 'choice':
      return { kind: 'choice', ...readOptions(keys, node, report) }
    case 'record':
    case 'table': {
      const fields = keys?.get('fields')
      return { kind: name, ...itemBounds(keys, context), ...(fields && { fields: readAll(fields, { ...context, what: 'field' }) }) }
    }
    case 'file': {
      const media = keys?.texts('media')
      return { kind: 'file', ...(media && { media }) }
    }
    case 'turns':
      return { kind: 'turns' }
    default:
      report(problem('type-unknown', { name, known: [...TYPE_NAMES, 'list of text'] }, node.span))
      return { kind: 'any' }
  }
}

function reads(keys: Keys<Key> | undefined): { reads?: string } {
  const words = keys?.text('reads')
  return words === undefined ? {} : { reads: words }
}

function readOptions(keys: Keys<Key> | undefined, node: YamlNode, report: Report): Labels {
  const of = keys?.get('of')
  if (!of) {
    report(problem('key-missing', { key: 'of', of: 'a choice' }, node.span))
    return { of: [] }
  }
  const options = readLabels(of, report)
  if (options.of.length === 0 && (of.kind === 'list' || of.kind === 'map'))
    report(problem('key-invalid', { key: 'of', expected: 'at least one option', found: 'an empty list' }, of.span))
  return options
}

function textBounds(keys: Keys<Key> | undefined, context: Declaring) {
  const { report } = context
  const [minLength, maxLength] = bounds(keys, 'min-length', 'max-length', context)
  const [minWords, maxWords] = bounds(keys, 'min-words', 'max-words', context)
  const pattern = keys?.text('pattern')
  if (pattern !== undefined) {
    const why = patternRefused(pattern)
    if (why !== undefined) {
      report(problem('pattern-refused', { pattern, why }, defined(defined(keys).get('pattern')).span))
      return {}
    }
  }
  return {
    ...(minLength !== undefined && { minLength }),
    ...(maxLength !== undefined && { maxLength }),
    ...(minWords !== undefined && { minWords }),
    ...(maxWords !== undefined && { maxWords }),
    ...(pattern !== undefined && { pattern }),
  }
}

function itemBounds(keys: Keys<Key> | undefined, context: Declaring) {
  const [minItems, maxItems] = bounds(keys, 'min-items', 'max-items', context)
  return { ...(minItems !== undefined && { minItems }), ...(maxItems !== undefined && { maxItems }) }
}

function numberBounds(keys: Keys<Key> | undefined, context: Declaring) {
  const [min, max] = bounds(keys, 'min', 'max', context)
  return { ...(min !== undefined && { min }), ...(max !== undefined && { max }) }
}

function bounds(
  keys: Keys<Key> | undefined,
  least: BoundKey,
  most: BoundKey,
  { report, path, onSlot }: Declaring,
): [number | undefined, number | undefined] {
  const whole = least !== 'min'
  const read = (key: BoundKey): number | undefined => {
    const node = keys?.get(key)
    if (!node) return undefined
    if (typeof node.scalar === 'number' && (!whole || Number.isInteger(node.scalar))) return node.scalar
    if (onSlot && node.string?.includes('{')) onSlot(path, key, node)
    else report(problem('key-invalid', { key, expected: whole ? 'a whole number' : 'a number', found: kindWords(node) }, node.span))
    return undefined
  }
  const low = read(least)
  const high = read(most)
  if (low !== undefined && high !== undefined && low > high)
    report(problem('bounds-contradict', { least: `${least}: ${low}`, most: `${most}: ${high}` }, defined(keys).keySpan(least)))
  return [low, high]
}

function dateBounds(keys: Keys<Key> | undefined, report: Report) {
  const read = (key: 'min' | 'max'): string | undefined => {
    const text = keys?.text(key)
    if (text === undefined || isDate(text) || readDateTime(text) !== undefined) return text
    report(
      problem(
        'key-invalid',
        { key, expected: 'a date such as 2026-11-23', found: JSON.stringify(text) },
        defined(defined(keys).get(key)).span,
      ),
    )
    return undefined
  }
  const min = read('min')
  const max = read('max')
  if (min !== undefined && max !== undefined && instant(min) > instant(max))
    report(problem('bounds-contradict', { least: `min: ${min}`, most: `max: ${max}` }, defined(keys).keySpan('min')))
  return { ...(min !== undefined && { min }), ...(max !== undefined && { max }) }
}
