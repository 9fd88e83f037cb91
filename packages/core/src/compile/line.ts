import type { Continuation } from '../render/shape.js'

/** The content of the source line so far, known while compiling: it decides where further lines of a value go, and what a fence may do. */
export class LineState {
  /** The spaces and list or quote marks before this place; undefined once anything else was written on the line. */
  prefix: string | undefined = ''
  /** Whether the source line holds a slot or directive: only such a line can go (language §5.1). */
  isHeld = false
  /** Within an inline `each`: a fence cannot stand here. */
  repeated = false

  fixed(text: string): void {
    if (this.prefix === undefined) return
    const prefix = this.prefix + text
    this.prefix = MARKS.test(prefix) ? prefix : undefined
  }

  /** Something other than spaces and marks was written. */
  written(): void {
    this.prefix = undefined
    this.isHeld = true
  }

  lineEnd(): void {
    this.prefix = ''
    this.isHeld = false
  }
}

const MARKS = /^(?:[ \t>]|[-*+](?=[ \t]|$)|\d+\.(?=[ \t]|$))*$/

/** The lead of further lines below `prefix`: spaces for all but quote marks. Nothing where the slot stands at the line's start. */
export function continuationOf(prefix: string): Continuation | undefined {
  if (prefix === '') return undefined
  const lead = prefix.replace(/[^>\t]/g, ' ')
  return { lead, blank: lead.trimEnd() }
}
