import { appendFileSync } from 'node:fs'
import { expect } from '@jest/globals'

/** Set by `npm run fuzz`: how long all targets may take together, and where the counts go. */
const { FUZZ_MINUTES, FUZZ_COUNTS } = process.env

/** What an attempt with a seed finds wrong; undefined where nothing is. */
export type Attempt = (seed: number) => string | undefined

export interface FuzzOptions {
  /** How many attempts a test makes. */
  readonly runs: number
  /** The share of the time of `npm run fuzz`, from 0 to 1. */
  readonly share: number
  /** How many attempts `npm run fuzz` makes at least. */
  readonly atLeast?: number
}

/** Makes attempts with the seeds 1, 2, 3…; the first that fails is shown with its seed, which gives it again. */
export function fuzz(name: string, attempt: Attempt, { runs, share, atLeast = 0 }: FuzzOptions): void {
  const until = FUZZ_MINUTES === undefined ? undefined : Date.now() + Number(FUZZ_MINUTES) * 60_000 * share
  let seed = 0
  while (until === undefined ? seed < runs : seed < atLeast || Date.now() < until) {
    seed++
    let wrong: string | undefined
    try {
      wrong = attempt(seed)
    } catch (fault) {
      wrong = fault instanceof Error ? (fault.stack ?? fault.message) : String(fault)
    }
    if (wrong !== undefined) expect(`${name}, seed ${seed}: ${wrong}`).toBe('nothing wrong')
  }
  if (FUZZ_COUNTS !== undefined) appendFileSync(FUZZ_COUNTS, `${name}: ${seed} attempts\n`)
}
