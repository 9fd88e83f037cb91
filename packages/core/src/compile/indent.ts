import type { Continuation } from '../render/shape.js'
import { jsonBytes } from '../render/json-bytes.js'
import { writtenApart } from '../render/capture.js'
import type { Op } from '../render/run.js'
import type { TextOrigin } from '../render/trace.js'

/** Indents what a step writes: every line that is not empty gets the lead, the first one only if `first` is true (language §5.3, §5.6). */
export function indentedOp(op: Op, { lead, blank }: Continuation, made: TextOrigin, first: boolean): Op {
  return (run) => {
    const before = run.out
    const { json } = run
    run.json = false
    let text: string
    if (run.trace) {
      op(run)
      text = run.out.slice(before.length)
    } else text = writtenApart(op, run)
    run.json = json
    if (text === '') return
    const places: { at: number; length: number }[] = []
    let moved = ''
    let position = 0
    for (const line of text.split('\n')) {
      const isFirst = position === 0
      const last = position + line.length === text.length
      const spaces = (isFirst && !first) || (last && line === '' && first) ? '' : line.trim() === '' ? blank : lead
      if (spaces !== '') places.push({ at: before.length + position, length: spaces.length })
      moved += spaces + line + (last ? '' : '\n')
      position += line.length + 1
    }
    run.out = before + (json ? jsonBytes(moved) : moved)
    run.trace?.insert(places, made)
  }
}
