import { defined } from '../invariant.js'
import { isAt } from './row.js'

const PLACES = 4096
const MOST = 1500

/** What is known of values by their bytes, found without making a text of them. The oldest are forgotten all at once. */
export class ByteMemo<V> {
  private readonly keys = new Array<Uint8Array | undefined>(PLACES).fill(undefined)
  private readonly values = new Array<V | undefined>(PLACES).fill(undefined)
  private count = 0
  private place = 0

  find(source: Uint8Array, start: number, end: number): V | undefined {
    let hash = 0x811c9dc5
    for (let i = start; i < end; i++) hash = Math.imul(hash ^ defined(source[i]), 0x01000193)
    hash ^= hash >>> 15
    const { keys } = this
    for (let place = hash & (PLACES - 1); ; place = (place + 1) & (PLACES - 1)) {
      const key = keys[place]
      if (key === undefined) {
        this.place = place
        return undefined
      }
      if (key.length === end - start && isAt(source, start, key)) return this.values[place]
    }
  }

  /** Keeps a value for bytes that were not found. */
  learn(source: Uint8Array, start: number, end: number, value: V): void {
    if (this.count === MOST) {
      this.keys.fill(undefined)
      this.values.fill(undefined)
      this.count = 0
    }
    // What was found meanwhile has moved the place.
    this.find(source, start, end)
    this.keys[this.place] = new Uint8Array(source.subarray(start, end))
    this.values[this.place] = value
    this.count++
  }
}
