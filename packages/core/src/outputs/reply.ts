import { readLabel } from './one-of.js'
import type { OutputModel } from '../artefacts/artefacts.js'
import { problem, type Problem } from '../problems/problem.js'
import { accept, topLevel } from '../values/accept.js'
import { isRecord, own, put } from '../values/data.js'
import type { Declared } from '../values/types.js'

/** A reply as data, or what keeps it from being it. */
export interface Reply<R = unknown> {
  /** Undefined where there are problems. */
  readonly value: R | undefined
  readonly problems: readonly Problem[]
}

/** Reads a reply by an output; without one, its text is the data. */
export function readReply(output: OutputModel | undefined, reply: string): Reply {
  if (!output) return { value: reply, problems: [] }
  if (output.fields) return readFields(output.name, output.fields, reply)
  const label = readLabel(output, reply)
  if (label !== undefined) return { value: label, problems: [] }
  return refused(output.name, `it names none of ${output.of.join(', ')}`)
}

function refused(output: string, why: string): Reply {
  return { value: undefined, problems: [problem('reply-unfit', { output, why })] }
}

function readFields(output: string, fields: readonly Declared[], reply: string): Reply {
  let data: unknown
  try {
    data = JSON.parse(reply)
  } catch (fault) {
    return refused(output, `it is no JSON (${fault instanceof SyntaxError ? fault.message : String(fault)})`)
  }
  if (!isRecord(data)) return refused(output, 'it is no JSON object')
  const problems: Problem[] = []
  const report = (p: Problem) => problems.push(p)
  for (const key of Object.keys(data))
    if (!fields.some((field) => field.name === key))
      report(problem('reply-unfit', { output, why: `it has a field "${key}" that nobody asked for` }))
  const value: Record<string, unknown> = {}
  for (const field of fields) {
    const found = accept(own(data, field.name), field, topLevel(field.name), (p) =>
      report(problem('reply-unfit', { output, why: p.message })),
    )
    if (found !== undefined) put(value, field.name, found)
  }
  return problems.length > 0 ? { value: undefined, problems } : { value, problems }
}
