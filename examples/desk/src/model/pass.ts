import type { Wanted, Beside } from './subject.js'
import type { DeskTable } from './table.js'

/** The state of a row: not rendered yet, valid, rejected, left out by the batch. */
export const ROW = { unknown: 0, fits: 1, rejected: 2, out: 3 } as const

/** Messages to the worker. */
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

/** Rows that the worker has rendered, from `from` on. */
export interface FromWorker {
  readonly id: number
  readonly from: number
  readonly states: Uint8Array
  /** 1 if a row is rendered differently by the saved files. */
  readonly changed: Uint8Array
  /** 0 where they were not counted. */
  readonly tokens: Uint32Array
  readonly done: boolean
}

/** What kept the worker from searching on: a fault of ours. */
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
  rendered = 0
  readonly counts = { fits: 0, rejected: 0, out: 0, changed: 0 }

  constructor(
    readonly id: number,
    readonly size: number,
    before?: Pass,
  ) {
    // Old results stay until there are new ones: a grid that goes blank at every key shows nothing.
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
      else if (states[i] === ROW.rejected) this.counts.rejected++
      else if (states[i] === ROW.out) this.counts.out++
      if (changed[i] === 1) this.counts.changed++
    }
    this.rendered = from + states.length
    this.done = done
  }
}
