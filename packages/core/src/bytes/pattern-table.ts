import { defined } from '../invariant.js'
import type { Automaton } from '../values/pattern.js'

/** States beyond this number are no pattern for a table. */
const MOST_STATES = 500

/** Whether a range of ASCII matches a pattern: its automaton's ways are a table, made as they are gone. Undefined if places decide. */
export function patternTable(automaton: Automaton): ((source: Uint8Array, start: number, end: number) => boolean) | undefined {
  const { steps } = automaton
  if (steps.some(({ kind }) => kind === 'place')) return undefined
  const numbers = new Map<string, number>()
  const sets: (readonly number[])[] = []
  const accepts: boolean[] = []
  const next: Int32Array[] = []
  const stateOf = (all: readonly number[]): number => {
    const set = automaton.closure(all, '', 0).sort((a, b) => a - b)
    const key = set.join(' ')
    const known = numbers.get(key)
    if (known !== undefined) return known
    numbers.set(key, sets.length)
    accepts.push(set.some((step) => steps[step]?.kind === 'end'))
    next.push(new Int32Array(128).fill(-1))
    return sets.push(set) - 1
  }
  const first = stateOf([automaton.start])
  const after = (state: number, character: string): number =>
    stateOf(
      defined(sets[state]).flatMap((number) => {
        const step = defined(steps[number])
        return step.kind === 'character' && step.test.test(character) ? [step.to] : []
      }),
    )
  return (source, start, end) => {
    let state = first
    for (let i = start; i < end; i++) {
      const byte = defined(source[i])
      let to = defined(defined(next[state])[byte])
      if (to < 0) {
        // The row is read as values instead.
        if (sets.length > MOST_STATES) return false
        to = after(state, String.fromCharCode(byte))
        defined(next[state])[byte] = to
      }
      state = to
    }
    return defined(accepts[state])
  }
}
