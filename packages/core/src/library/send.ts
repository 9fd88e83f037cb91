import type { AnswerColumn } from '../outputs/columns.js'
import { TEXT, type Declared, type ValueType } from '../values/types.js'

/** What the conditions of `send` see of a run. */
export const RUN_FIELDS = ['model', 'prompt', 'record'] as const

/** What a condition of `send` may name: the answer by its columns, the run, and the record with the other values of the prompt. */
export function sendScope({ variables, answerColumns }: Sending): Declared[] {
  const plain = { optional: true, untrusted: false, span: undefined }
  const answer = answerColumns.map(({ name, labels }): Declared => ({ ...plain, name, type: labelType(labels) }))
  const run = RUN_FIELDS.map((name): Declared => ({ ...plain, name, type: TEXT }))
  return [
    { ...plain, name: 'answer', type: { kind: 'record', fields: answer } },
    { ...plain, name: 'run', type: { kind: 'record', fields: run } },
    ...variables,
  ]
}

interface Sending {
  readonly variables: readonly Declared[]
  readonly answerColumns: readonly AnswerColumn[]
}

function labelType(labels: readonly string[] | undefined): ValueType {
  if (!labels) return { kind: 'any' }
  return labels.length === 2 && labels.includes('true') && labels.includes('false') ? { kind: 'boolean' } : { kind: 'choice', of: labels }
}
