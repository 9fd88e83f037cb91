import { defined } from '../../invariant.js'
import { exactJson, findJson } from '../json/find.js'
import { Loosening, nearKey, type Locate } from '../json/loosen.js'
import { readLoose, type Extent, type Loose } from '../json/loose.js'
import type { Reading } from '../reading.js'
import type { FieldsShape } from '../shape.js'
import { problem, type Problem } from '../../problems/problem.js'
import { accept, topLevel } from '../../values/accept.js'
import { foldHeading } from '../../values/row.js'
import { isRecord, own, put } from '../../values/data.js'

/** Reads a reply as an object of the declared fields. */
export function readFields(shape: FieldsShape, reading: Reading): unknown {
  const { text } = reading
  const exact = exactJson(text)
  if (exact && isRecord(exact.value) && isOwn(exact.value, shape))
    return new DataReading(shape, reading, exact.value, () => readLoose(text, text.search(/\S/)).loose).read()
  return readWandering(shape, reading)
}

/** Whether an object has any of the fields; another one may wrap it. */
function isOwn(data: Record<string, unknown>, { fields }: FieldsShape): boolean {
  if (fields.some(({ name }) => Object.hasOwn(data, name))) return true
  const names = new Set(fields.map((field) => foldHeading(field.name)))
  return fields.length === 0 || Object.keys(data).some((key) => names.has(foldHeading(key))) || !Object.values(data).some(isRecord)
}

/** An object somewhere in the reply: of several the last that fits, else the one that fits best. */
function readWandering(shape: FieldsShape, reading: Reading): unknown {
  const { text } = reading
  const objects = findJson(text).flatMap((item) => objectIn(item, shape))
  const [only] = objects
  if (!only) {
    reading.report(problem('reply-without-json', { why: text.includes('{') ? 'the closest match is not valid JSON' : '' }))
    return undefined
  }
  const tries = objects.map((foundObject) => {
    const attempt = reading.attempt()
    sayAround(foundObject.loose, attempt)
    if (foundObject.wrapped) attempt.repair('wrapped', 'the object is wrapped in another one', foundObject.loose)
    for (const { message, start, end } of foundObject.loose.lapses) attempt.repair('json', message, { start, end })
    const { cut } = foundObject.loose
    if (cut?.clean) attempt.repair('closed', 'its closing brackets are missing', foundObject.loose)
    else if (cut)
      attempt.report(problem('reply-cut-off', { within: cut.within }, attempt.span(foundObject.loose.end, foundObject.loose.end)))
    const value = new DataReading(shape, attempt, foundObject.object, () => foundObject.loose).read()
    return { attempt, value, problems: attempt.problems.length }
  })
  const fewest = Math.min(...tries.map((item) => item.problems))
  const best = defined(tries.filter((item) => item.problems === fewest).at(-1))
  if (tries.length > 1)
    best.attempt.repair('several', `the reply has ${tries.length} objects; the ${fewest === 0 ? 'last valid one' : 'best match'} is used`)
  reading.take(best.attempt)
  return best.value
}

interface FoundObject {
  readonly object: Record<string, unknown>
  readonly loose: Loose
  readonly wrapped: boolean
}

/** The object that a value is, or that it wraps: as its only member, or as the only item of a list. */
function objectIn(loose: Loose, shape: FieldsShape): FoundObject[] {
  const { value } = loose
  const list = Array.isArray(value) ? value.filter(isRecord) : [value]
  return list.flatMap((item): FoundObject[] => {
    if (!isRecord(item)) return []
    const entries = Object.values(item)
    const [inner] = entries
    if (!isOwn(item, shape) && entries.length === 1 && isRecord(inner)) return [{ object: inner, loose, wrapped: true }]
    return [{ object: item, loose, wrapped: Array.isArray(value) && list.length === 1 }]
  })
}

/** The text before and after the object: a fence around it, or words. */
function sayAround({ start, end }: Loose, reading: Reading): void {
  const { text } = reading
  const before = text.slice(Math.max(0, start - 2000), start)
  const after = text.slice(end, end + 2000)
  const fence = /(?:```|~~~)[\w-]*\s*$/.exec(before)
  if (fence) reading.repair('fence', 'the object is in a code fence', { start: start - fence[0].length, end: start })
  const words = (before.slice(0, fence ? fence.index : undefined) + after.replace(/^\s*(?:```|~~~)/, '')).trim()
  if (words !== '') reading.repair('prose', 'there is text around the object')
}

/** Records name all their fields, and JSON only those that are there. */
function withoutAbsent(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(withoutAbsent)
  if (!isRecord(value)) return value
  const there: Record<string, unknown> = {}
  for (const [key, item] of Object.entries(value)) if (item !== undefined) put(there, key, withoutAbsent(item))
  return there
}

/** One object, checked by the fields. */
class DataReading {
  private loose: Loose | undefined

  constructor(
    private readonly shape: FieldsShape,
    private readonly reading: Reading,
    private readonly data: Record<string, unknown>,
    /** The same, read with its places: only if there is a problem to report. */
    private readonly placed: () => Loose | undefined,
  ) {}

  read(): unknown {
    const { shape, reading, data } = this
    const { check } = shape
    if (check && check(data).length === 0) return data
    const keepsExtras = shape.schema !== undefined && own(shape.schema, 'additionalProperties') !== false
    const loosened = new Loosening(reading, this.locate, keepsExtras).record(data, shape.fields, [])
    const value: Record<string, unknown> = shape.schema ? loosened : {}
    const problems: Problem[] = []
    for (const field of shape.fields) {
      const accepted = accept(own(loosened, field.name), field, topLevel(field.name), (p) => problems.push(p))
      if (accepted !== undefined) put(value, field.name, withoutAbsent(accepted))
    }
    for (const p of problems) this.say(p)
    if (check && problems.length === 0)
      for (const { field, message } of check(value))
        reading.report(problem('reply-schema-invalid', { field, detail: message }, this.spanOf(field)))
    reading.partial = value
    return value
  }

  private say(p: Problem): void {
    const { reading, data, shape } = this
    switch (p.code) {
      case 'value-missing':
        reading.report(
          problem('reply-field-missing', { field: p.data.path, near: nearKey(p.data.path, data, shape.fields) }, this.spanOf(p.data.path)),
        )
        break
      case 'value-invalid':
        reading.report(
          problem(
            'reply-field-invalid',
            { field: p.data.path, detail: `must be ${p.data.expected}, not ${p.data.found}` },
            this.spanOf(p.data.path),
          ),
        )
        break
      case 'value-bounds':
        reading.report(problem('reply-field-invalid', { field: p.data.path, detail: p.data.detail }, this.spanOf(p.data.path)))
        break
      default:
        reading.report(p)
    }
  }

  /** The place of a value; of a missing one, its record's. */
  private spanOf(path: string) {
    const steps = path.split('.')
    for (let length = steps.length; length >= 0; length--) {
      const extent = this.locate(steps.slice(0, length))
      if (extent) return this.reading.span(extent.start, extent.end)
    }
    return undefined
  }

  private readonly locate: Locate = (path) => {
    this.loose ??= this.placed()
    const { loose } = this
    if (!loose) return undefined
    let extent: Extent = loose
    // The data was read out of the reply with its places, or is read again for them.
    let item: unknown = loose.extents.has(this.data) ? this.data : loose.value
    for (const step of path) {
      const next: Extent | undefined = typeof item === 'object' && item !== null ? loose.extents.get(item)?.get(step) : undefined
      if (!next) return undefined
      extent = next
      item = Array.isArray(item) ? (item[Number(step) - 1] as unknown) : own(item, step)
    }
    return extent
  }
}
