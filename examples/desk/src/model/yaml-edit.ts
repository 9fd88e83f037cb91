import { isMap, isScalar, parseDocument, stringify, type Pair, type Scalar, type YAMLMap } from 'yaml'

/** A change of one key: its new value, or undefined to take it away. */
export interface KeyChange {
  /** The map that has the key, by its path: `variables`, `item`. */
  readonly path: readonly string[]
  readonly key: string
  readonly value: unknown
  /** The key that a value which is no map yet gets, when the map is made of it: `type` of `title: text`. */
  readonly short?: string
}

/**
 * A YAML text with one key changed. Only its characters change: comments, order and writing of everything else stay. The text comes back as it is
 * where it has errors, or where the path leads to no map.
 */
export function withKey(text: string, { path, key, value, short }: KeyChange): string {
  const document = parseDocument(text, { version: '1.2' })
  if (document.errors.length > 0) return text
  const node: unknown = path.length === 0 ? document.contents : document.getIn(path, true)
  if (isMap(node)) return inMap(text, node as YAMLMap<Scalar>, key, value)
  if (isScalar(node) && short !== undefined && node.range) {
    if (value === undefined) return text
    const whole = node.value === null ? { [key]: value } : { [short]: node.value, [key]: value }
    return spliced(text, node.range[0], node.range[1], flow(whole))
  }
  // The map that is missing is made in the one that it belongs to.
  const last = path.at(-1)
  if (node !== undefined || last === undefined || value === undefined) return text
  return withKey(text, { path: path.slice(0, -1), key: last, value: { [key]: value } })
}

function inMap(text: string, map: YAMLMap<Scalar>, key: string, value: unknown): string {
  const index = map.items.findIndex((pair) => pair.key.value === key)
  const pair = map.items[index]
  if (pair) return value === undefined ? without(text, map, index) : replaced(text, pair, value)
  if (value === undefined) return text
  const [first, last] = [map.items[0], map.items.at(-1)]
  if (map.flow) {
    const end = (map.range?.[1] ?? 1) - 1
    const before = text.slice(0, end).trimEnd()
    return `${before}${last ? ', ' : ' '}${flow(key)}: ${flow(value)} ${text.slice(end)}`
  }
  const indent = ' '.repeat(first ? columnOf(text, first.key.range?.[0] ?? 0) : 0)
  const end = last ? endOf(text, last) : (map.range?.[1] ?? text.length)
  const head = text.slice(0, end)
  return `${head}${head === '' || head.endsWith('\n') ? '' : '\n'}${indent}${flow(key)}: ${flow(value)}\n${text.slice(end).replace(/^\n/, '')}`
}

function replaced(text: string, pair: Pair<Scalar>, value: unknown): string {
  const range = rangeOf(pair.value)
  const written = flow(value)
  if (range) {
    // A block ends with its line, which stays.
    const end = text.slice(range[0], range[1]).endsWith('\n') ? range[1] - 1 : range[1]
    const isBelow = text.slice(pair.key.range?.[1] ?? 0, range[0]).includes('\n')
    return spliced(text, isBelow ? (pair.key.range?.[1] ?? 0) : range[0], end, isBelow ? `: ${written}` : written)
  }
  return spliced(text, pair.key.range?.[1] ?? 0, pair.key.range?.[1] ?? 0, `: ${written}`)
}

function without(text: string, map: YAMLMap<Scalar>, index: number): string {
  const pair = map.items[index] as Pair<Scalar>
  const start = pair.key.range?.[0] ?? 0
  const end = rangeOf(pair.value)?.[1] ?? pair.key.range?.[1] ?? start
  if (map.flow) {
    const next = map.items[index + 1]?.key.range?.[0]
    if (next !== undefined) return spliced(text, start, next, '')
    const before = map.items[index - 1]
    return spliced(text, before ? (rangeOf(before.value)?.[1] ?? start) : start, end, '')
  }
  const line = text.lastIndexOf('\n', start - 1) + 1
  return spliced(text, line, endOf(text, pair), '')
}

/** Where the lines of a pair end: behind the line break. */
function endOf(text: string, pair: Pair<Scalar>): number {
  const end = rangeOf(pair.value)?.[1] ?? pair.key.range?.[1] ?? 0
  if (text[end - 1] === '\n') return end
  const newline = text.indexOf('\n', end)
  return newline < 0 ? text.length : newline + 1
}

function rangeOf(node: unknown): readonly [number, number, number] | undefined {
  return typeof node === 'object' && node !== null && 'range' in node
    ? ((node.range as [number, number, number] | null) ?? undefined)
    : undefined
}

function columnOf(text: string, offset: number): number {
  return offset - (text.lastIndexOf('\n', offset - 1) + 1)
}

function spliced(text: string, start: number, end: number, put: string): string {
  return text.slice(0, start) + put + text.slice(end)
}

/** A value on one line, as these files write it: `{ type: text, of: [a, b] }`. */
function flow(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(flow).join(', ')}]`
  if (typeof value === 'object' && value !== null)
    return `{ ${Object.entries(value)
      .map(([key, item]) => `${flow(key)}: ${flow(item)}`)
      .join(', ')} }`
  const text = stringify(value, { version: '1.2', lineWidth: 0, defaultStringType: 'PLAIN', defaultKeyType: 'PLAIN' }).trimEnd()
  // Within braces a comma or bracket would end it, and a line break is written as one.
  // Nor may it begin or end with a space of any kind, which plain texts lose.
  return typeof value === 'string' && (/[,[\]{}\n]|^\s|\s$/u.test(value) || text.includes('\n')) ? JSON.stringify(value) : text
}
