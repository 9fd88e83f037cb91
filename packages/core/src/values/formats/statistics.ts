import { defined } from '../../invariant.js'
import { isMissing } from '../data.js'
import type { Numeric } from '../numbers.js'

/** The numbers of a list, missing ones left out. */
export function numbersOf(list: readonly unknown[]): number[] {
  return list.filter((value) => !isMissing(value)).map((value) => Number(value as Numeric))
}

/** Sums on a common power of ten, so that 0.1 and 0.2 give 0.3. */
export function exactSum(numbers: readonly number[]): number {
  const digits = Math.max(0, ...numbers.map((n) => String(n).split('.')[1]?.length ?? 0))
  const scale = 10 ** Math.min(digits, 15)
  const scaled = numbers.reduce((total, n) => total + Math.round(n * scale), 0)
  return Number.isSafeInteger(scaled) ? scaled / scale : numbers.reduce((total, n) => total + n, 0)
}

export function median(numbers: readonly number[]): number | null {
  const ordered = [...numbers].sort((a, b) => a - b)
  const middle = ordered.length >> 1
  if (ordered.length === 0) return null
  return ordered.length % 2 === 1 ? defined(ordered[middle]) : (defined(ordered[middle - 1]) + defined(ordered[middle])) / 2
}
