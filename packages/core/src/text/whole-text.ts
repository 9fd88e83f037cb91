import { Cursor, Unreadable } from './cursor.js'
import type { ValueContext } from './values.js'
import { problem, type Report } from '../problems/problem.js'
import type { Source } from '../source/source.js'
import { clip } from '../values/data.js'

/** Reads a scalar of a library's file whose whole text is one item: the loop of repeated turns, a value to attach. */
export function parseWholeText<T>(
  source: Source,
  what: string,
  nesting: number,
  report: Report,
  read: (cursor: Cursor, context: ValueContext) => T,
): T | undefined {
  const end = source.text.trimEnd().length
  const cursor = new Cursor(source, 0, end)
  const context: ValueContext = {
    nestingLimit: nesting,
    foreign: (written, meant, span) => report(problem('foreign-word', { written, meant }, span)),
    reserved: (name, span) => report(problem('name-reserved', { name }, span)),
    tooDeep: (span) => report(problem('nesting-too-deep', { limit: nesting }, span)),
  }
  try {
    const result = read(cursor, context)
    if (!cursor.done) cursor.fail('nothing more')
    return result
  } catch (fault) {
    if (!(fault instanceof Unreadable)) throw fault
    const offset = Math.min(fault.position, end)
    const after = clip(source.text.slice(0, offset).trim()) || what
    report(
      problem('directive-unreadable', { directive: what, expected: fault.expected, after }, source.span(offset, Math.min(offset + 1, end))),
    )
    return undefined
  }
}
