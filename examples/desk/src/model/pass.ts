import type { Wanted, Beside } from './subject.js'
import type { DeskTable } from './table.js'

/** What became of a row: not looked at yet, fits, rejected, left out by the batch. */
export const ROW = { unknown: 0, fits: 1, aside: 2, out: 3 } as const

/** What the worker is told. */
export type ToWorker =
  | { readonly kind: 'table'; readonly table: DeskTable | undefined; readonly joined: ReadonlyMap<string, DeskTable> }
  | {
      readonly kind: 'look'
      readonly id: number
      readonly saved: Readonly<Record<string, string>>
      readonly files: Readonly<Record<string, string>>
      readonly beside: Beside
      readonly wanted: Wanted
    }

/** Rows that the worker has looked at, from `from` on. */
export interface FromWorker {
  readonly id: number
  readonly from: number
  readonly states: Uint8Array
  /** 1 where a row is rendered otherwise than by the saved files. */
  readonly changed: Uint8Array
  /** 0 where they were not counted. */
  readonly tokens: Uint32Array
  readonly done: boolean
}

/** What kept the worker from looking on: a fault of ours. */
export interface FaultOfWorker {
  readonly id: number
  readonly fault: string
}

/** The whole table as the worker has found it so far. */
export class Pass {
  readonly states: Uint8Array
  readonly changed: Uint8Array
  readonly tokens: Uint32Array
  done = false
  looked = 0
  readonly counts = { fits: 0, aside: 0, out: 0, changed: 0 }

  constructor(
    readonly id: number,
    readonly size: number,
    before?: Pass,
  ) {
    // What was known stays until it is known better: a grid that goes blank at every key tells nothing.
    const keep = before?.size === size
    this.states = keep ? before.states.slice() : new Uint8Array(size)
    this.changed = keep ? before.changed.slice() : new Uint8Array(size)
    this.tokens = keep ? before.tokens.slice() : new Uint32Array(size)
  }

  take({ from, states, changed, tokens, done }: FromWorker): void {
    this.states.set(states, from)
    this.changed.set(changed, from)
    this.tokens.set(tokens, from)
    for (let i = 0; i < states.length; i++) {
      if (states[i] === ROW.fits) this.counts.fits++
      else if (states[i] === ROW.aside) this.counts.aside++
      else if (states[i] === ROW.out) this.counts.out++
      if (changed[i] === 1) this.counts.changed++
    }
    this.looked = from + states.length
    this.done = done
  }
}
