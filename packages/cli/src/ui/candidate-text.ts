import { defined } from 'dunelight/host'
import type { Candidate, PickedRecord } from '@dunelight/node/host'
import type { Colors } from './context.js'

/** An answer with its number, whole. */
export function candidateText(
  {
    number,
    text,
    like,
    problems,
    doubts,
    anew,
    madeUp,
  }: Pick<Candidate, 'number' | 'text' | 'like' | 'problems' | 'doubts' | 'anew' | 'madeUp'>,
  { kept }: Pick<PickedRecord, 'kept'>,
  c: Colors,
): string {
  const marks = [
    ...(number === kept ? [c.green('kept')] : []),
    ...(madeUp ? ['made up'] : []),
    ...(like === undefined ? [] : [c.yellow(`nearly the same as ${like}`)]),
    ...(anew ? [`${anew.part} anew, the rest of ${anew.of}`] : []),
    ...(problems.length > 0 ? [c.red(`cannot be used: ${defined(problems[0]).message}`)] : []),
    ...(doubts.length > 0 ? [c.dim(`to verify: ${doubts.join(' · ')}`)] : []),
  ]
  return `${c.bold(`[${number}]`)}${marks.length > 0 ? ` ${marks.join(', ')}` : ''}\n${text.trimEnd()}\n`
}
