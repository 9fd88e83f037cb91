import { problemRecord } from 'dunelight'
import type { RunResult } from '@dunelight/node'
import type { Answered, Counts } from '@dunelight/node/host'

/** What came of a run, for programs. */
export function resultJson<C extends Counts>({ folder, file, counts, state }: RunResult<C>): string {
  const { run, batch, prompt, output, published, sent = [], seconds } = file
  const result = {
    run,
    state,
    folder,
    batch: batch ?? null,
    prompt: prompt.name,
    output: published?.path ?? `${folder}/${output}`,
    sent: sent.map(({ path }) => path),
    seconds,
    counts,
  }
  return `${JSON.stringify(result, null, 2)}\n`
}

/** The answer for one record, for programs. */
export function answerJson(record: string, { text, form, reply, problems, notes, answers }: Answered): string {
  const last = answers.at(-1)
  const result = {
    record: record === '' ? null : record,
    reply: text ?? null,
    answer: form && reply ? form.columns(reply.value) : null,
    problems: problems.map(problemRecord),
    repairs: (reply?.repairs ?? []).map(({ message }) => message),
    unsupported: (reply?.unsupported ?? []).map(problemRecord),
    similar: (reply?.similar ?? []).map(problemRecord),
    notes,
    usage: last?.answer.usage ?? null,
    cached: last?.cached ?? false,
    requests: answers.length,
  }
  return `${JSON.stringify(result, null, 2)}\n`
}
