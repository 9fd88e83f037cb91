/** Questions about plain data that any stage may ask. */

/** Own data of an object, never what it inherits: `undefined` where there is none. */
export function own(value: unknown, key: string): unknown {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return undefined
  if (!Object.hasOwn(value, key)) return undefined
  const content = (value as Record<string, unknown>)[key]
  return typeof content === 'function' ? undefined : content
}

/** Own data under a declared name. Names are compared in NFC, and a program's keys may be spelt otherwise. */
export function ownNamed(value: unknown, name: string): unknown {
  const content = own(value, name)
  if (content !== undefined || !BEYOND_ASCII.test(name) || !isRecord(value)) return content
  const key = Object.keys(value).find((key) => key.normalize('NFC') === name)
  return key === undefined ? undefined : own(value, key)
}

const BEYOND_ASCII = /[\u0080-\uffff]/

export function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value) && !(value instanceof Date)
}

/** Absent, null, NaN and the empty text are missing (language §2). */
export function isMissing(value: unknown): boolean {
  return value === undefined || value === null || value === '' || (typeof value === 'number' && Number.isNaN(value))
}

/** An empty list or record is a value, but `or`, presence and `is empty` treat it as missing. */
export function isEmpty(value: unknown): boolean {
  if (isMissing(value)) return true
  if (Array.isArray(value)) return value.length === 0
  return isRecord(value) && Object.keys(value).length === 0
}

// An engine has a dozen inner shapes of texts, and a call site that sees all of them looks a method up each time. These are looked up once.
/* eslint-disable @typescript-eslint/unbound-method -- each is given its text by `call` */
const { includes, trim, charCodeAt } = String.prototype
/* eslint-enable @typescript-eslint/unbound-method */

/** `text.includes(part)`, where millions of values pass. */
export function holds(text: string, part: string): boolean {
  return includes.call(text, part)
}

/** `text.trim()`, where millions of values pass. */
export function trimmed(text: string): string {
  return trim.call(text)
}

/** `text.charCodeAt(at)`, where millions of values pass. */
export function unitAt(text: string, position: number): number {
  return charCodeAt.call(text, position)
}

/** `\r\n` and `\r` are read as `\n`. */
export function lineEnds(text: string): string {
  return holds(text, '\r') ? text.replace(/\r\n?/g, '\n') : text
}

/** A value in words for a message: its kind and the beginning of its content. */
export function shown(value: unknown): string {
  if (value === null || value === undefined) return 'nothing'
  if (typeof value === 'string') return `"${clip(value)}"`
  if (Array.isArray(value)) return `a list of ${value.length}`
  if (value instanceof Date) return 'a date'
  if (typeof value === 'object') return 'a record'
  if (typeof value === 'number' || typeof value === 'bigint' || typeof value === 'boolean') return String(value)
  return `a ${typeof value}`
}

export function clip(text: string, length = 40): string {
  const line = text.replace(/\s+/g, ' ')
  return line.length > length ? `${line.slice(0, length - 1)}…` : line
}

/** A record with one of its fields taken from another. */
export function withPart(value: object, other: object, part: string): Record<string, unknown> {
  const changed: Record<string, unknown> = { ...value }
  put(changed, part, own(other, part))
  return changed
}

/** Sets a key as own data, `__proto__` too. */
export function put(target: Record<string, unknown>, key: string, value: unknown): void {
  if (key === '__proto__') Object.defineProperty(target, key, { value, enumerable: true, configurable: true, writable: true })
  else target[key] = value
}

/** Whether a value is nested deeper than the limit, or contains itself. */
export function isDeeper(value: unknown, limit: number): boolean {
  if (typeof value !== 'object' || value === null) return false
  return !isShallow(value, Math.min(SHALLOW, limit)) && heightOf(value, limit, new Map()) > limit
}

/** Most records are lists and texts within a record: they are checked without remembering what was seen. */
const SHALLOW = 4

function isShallow(value: object, levels: number): boolean {
  if (ArrayBuffer.isView(value)) return true
  if (levels <= 0) return false
  for (const key in value) {
    const inner = (value as Record<string, unknown>)[key]
    if (typeof inner === 'object' && inner !== null && !isShallow(inner, levels - 1)) return false
  }
  return true
}

/** How many levels of objects and lists there are; beyond the limit they are not counted. */
function heightOf(value: object, limit: number, known: Map<object, number>): number {
  const before = known.get(value)
  if (before !== undefined) return before
  if (limit < 0 || ArrayBuffer.isView(value)) return limit < 0 ? Infinity : 0
  // Until it is known: what holds itself has no end.
  known.set(value, Infinity)
  let height = 0
  for (const item of Object.values(value))
    if (typeof item === 'object' && item !== null) height = Math.max(height, heightOf(item as object, limit - 1, known))
  known.set(value, height + 1)
  return height + 1
}
