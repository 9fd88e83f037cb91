import { flat } from './op-list.js'
import type { Run } from '../render/run.js'
import type { Locale } from '../values/locale.js'

/** Values of a slot that are remembered at a time, and the longest text of one. */
const MOST = 1000
const LONGEST = 200

/**
 * The same step, with a cache of earlier results: a table's columns have mostly the same few dates, numbers and lists, and to find one
 * again is many times quicker than to format it. Only for steps that write the same for the same value and locale. A column whose values do
 * not come again is ignored.
 */
export function memoizeWriter(write: (value: unknown, run: Run) => void): (value: unknown, run: Run) => void {
  const known = new Map<unknown, string>()
  let locale: Locale | undefined
  let hits = 0
  let worthIt = true
  const learn = (value: unknown, run: Run) => {
    const { out } = run
    run.out = ''
    write(value, run)
    const text = run.out
    run.out = out + text
    // A text with a character that could begin a fence's tag is checked again in each rendering.
    if (run.suspect || text.length > LONGEST) return
    if (known.size === MOST) {
      worthIt = hits > MOST
      known.clear()
      hits = 0
    }
    if (worthIt) known.set(value, flat(text))
  }
  return (value, run) => {
    if (!worthIt || !run.json) {
      write(value, run)
      return
    }
    if (run.locale !== locale) {
      known.clear()
      locale = run.locale
    }
    const before = known.get(value)
    if (before === undefined) {
      if (isKey(value)) learn(value, run)
      else write(value, run)
      return
    }
    hits++
    run.out += before
    run.checkLength()
  }
}

/** Values that cannot change: lists only if they are frozen. Long texts seldom repeat. */
function isKey(value: unknown): boolean {
  if (typeof value === 'string') return value.length <= LONGEST_KEY
  return typeof value === 'number' || (typeof value === 'object' && Object.isFrozen(value))
}

/** A longer text may be a piece of a whole part of a table, which a key would keep. */
const LONGEST_KEY = 12
