import { readFile } from 'node:fs/promises'
import { ProblemError } from 'dunelight'
import { CHANNEL_NAME } from 'dunelight/editions'
import { nearest, problem, readAmount } from 'dunelight/host'
import { reason } from '@dunelight/node/host'
import { isMap, LineCounter, parseDocument, type Document } from 'yaml'
import { OPERATIONS, type Caller, type Operation } from './caller.js'

/** Bytes after which a file is no list of callers. */
const MOST_BYTES = 4 * 1024 * 1024

/** What a caller may have, by key. */
const KEYS = [
  'id',
  'tokens',
  'expires',
  'prompts',
  'tags',
  'operations',
  'channels',
  'editions',
  'per-minute',
  'tokens-a-day',
  'share-cache',
] as const
type Key = (typeof KEYS)[number]

/**
 * Reads callers.yaml.
 *
 * @throws ProblemError with everything that is wrong with it, each with its caller.
 */
export async function readCallersFile(path: string): Promise<readonly Caller[]> {
  return callersIn(await documentAt(path), path)
}

/** The file as a document, which keeps its comments. */
export async function documentAt(path: string): Promise<Document> {
  const text = await readFile(path, 'utf8').catch((fault: unknown) => {
    throw new ProblemError([problem('file-unreadable', { file: path, why: reason(fault) })])
  })
  return documentOf(text, path)
}

export function documentOf(text: string, path: string): Document {
  if (text.length > MOST_BYTES) throw invalid(path, 'it is too large')
  const lines = new LineCounter()
  const document = parseDocument(text, { lineCounter: lines })
  const [fault] = document.errors
  if (fault) throw invalid(path, fault.message.split('\n')[0] ?? 'it is not YAML')
  return document
}

/** The callers of a document, checked. */
export function callersIn(document: Document, path: string): readonly Caller[] {
  if (document.contents !== null && !isMap(document.contents)) throw invalid(path, 'it must be a map with "callers"')
  const { callers, ...more } = (document.toJS() ?? {}) as Record<string, unknown>
  const wrong = Object.keys(more).map((key) => `unknown key "${key}"`)
  if (callers !== undefined && !isRecord(callers)) throw invalid(path, '"callers" must be a map of callers by name')
  const read = Object.entries(callers ?? {}).map(([name, content]) => readCaller(name, content, (why) => wrong.push(`${name}: ${why}`)))
  const ids = new Map<string, string>()
  for (const { id, name } of read) {
    const other = ids.get(id)
    if (other !== undefined) wrong.push(`${name} has the id of ${other}`)
    ids.set(id, name)
  }
  if (wrong.length > 0) throw new ProblemError(wrong.map((why) => problem('callers-invalid', { file: path, why })))
  return read
}

function invalid(file: string, why: string): ProblemError {
  return new ProblemError([problem('callers-invalid', { file, why })])
}

function readCaller(name: string, content: unknown, report: (why: string) => void): Caller {
  const keys: Partial<Record<Key, unknown>> = {}
  if (!isRecord(content)) report('it must be a map')
  for (const [key, value] of Object.entries(isRecord(content) ? content : {})) {
    const known = KEYS.find((item) => item === key)
    const near = nearest(key, KEYS)
    if (known) keys[known] = value
    else report(`unknown key "${key}"${near === undefined ? '' : `; did you mean "${near}"?`}`)
  }
  const reader = new KeyReader(keys, report)
  if (!/^[\p{L}\p{N}][\p{L}\p{N} ._-]{0,60}$/u.test(name)) report('its name must be letters, digits, spaces, dots and dashes')
  const [expires, perMinute, tokensADay] = [reader.day('expires'), reader.count('per-minute'), reader.count('tokens-a-day')]
  return {
    name,
    id: reader.matching('id', /^[a-z0-9]{8}$/, 'eight small letters and digits'),
    tokens: reader.list('tokens', /^sha256:[\da-f]{64}$/, 'digests of tokens, which dunelight caller add makes', 2),
    ...(expires !== undefined && { expires }),
    prompts: keys.prompts === 'all' ? 'all' : reader.list('prompts', /^[^\s@]+$/, 'names of prompts, or all'),
    tags: reader.list('tags', /./, 'tags'),
    operations: reader.operations(),
    channels: reader.list('channels', CHANNEL_NAME, 'names of channels'),
    editions: reader.boolean('editions'),
    ...(perMinute !== undefined && { perMinute }),
    ...(tokensADay !== undefined && { tokensADay }),
    shareCache: reader.boolean('share-cache'),
  }
}

class KeyReader {
  constructor(
    private readonly keys: Partial<Record<Key, unknown>>,
    private readonly report: (why: string) => void,
  ) {}

  private refuse(key: Key, expected: string): void {
    this.report(`"${key}" must be ${expected}, not ${JSON.stringify(this.keys[key] ?? null)}`)
  }

  matching(key: Key, shape: RegExp, expected: string): string {
    const value = this.keys[key]
    if (typeof value === 'string' && shape.test(value)) return value
    this.refuse(key, expected)
    return ''
  }

  list(key: Key, shape: RegExp, expected: string, most = Infinity): string[] {
    const value = this.keys[key]
    if (value === undefined) return []
    if (Array.isArray(value) && value.length <= most && value.every((item): item is string => typeof item === 'string' && shape.test(item)))
      return value
    this.refuse(key, most === Infinity ? `a list of ${expected}` : `a list of at most ${most} ${expected}`)
    return []
  }

  operations(): readonly Operation[] {
    if (this.keys.operations === undefined) return ['render']
    const value = this.list('operations', /./, `operations: ${OPERATIONS.join(', ')}`)
    const known = OPERATIONS.filter((operation) => value.includes(operation))
    if (known.length < value.length) this.refuse('operations', `a list of ${OPERATIONS.join(', ')}`)
    return known
  }

  boolean(key: Key): boolean {
    const value = this.keys[key]
    if (value !== undefined && typeof value !== 'boolean') this.refuse(key, 'true or false')
    return value === true
  }

  count(key: Key): number | undefined {
    const value = this.keys[key]
    if (value === undefined) return undefined
    const amount = typeof value === 'number' || typeof value === 'string' ? readAmount(String(value)) : undefined
    if (amount === undefined || amount < 1) this.refuse(key, 'a number such as 60 or 200k')
    return amount
  }

  day(key: Key): string | undefined {
    const value = this.keys[key]
    if (value === undefined) return undefined
    const day = value instanceof Date ? value.toISOString().slice(0, 10) : value
    if (typeof day === 'string' && /^\d{4}-\d\d-\d\d$/.test(day) && !Number.isNaN(Date.parse(day))) return day
    this.refuse(key, 'a day such as 2027-01-31')
    return undefined
  }
}

function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}
