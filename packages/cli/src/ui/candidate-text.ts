import { defined } from 'dunelight/host'
import type { Candidate, ReviewedRecord } from '@dunelight/node/host'
import type { Colors } from './context.js'

/** An answer with its number, whole. */
export function candidateText(
  { number, text, similar, problems, unsupported, similarItems, isRegenerated, isEdited, isMock }: Omit<Candidate, 'answer' | 'repairs'>,
  { accepted }: Pick<ReviewedRecord, 'accepted'>,
  c: Colors,
): string {
  const marks = [
    ...(number === accepted ? [c.green('accepted')] : []),
    ...(isMock ? ['mock'] : []),
    ...(isEdited ? ['edited by hand'] : []),
    ...(similar === undefined ? [] : [c.yellow(`nearly the same as ${similar}`)]),
    ...(isRegenerated ? [`${isRegenerated.part} regenerated, the rest from ${isRegenerated.of}`] : []),
    ...(problems.length > 0 ? [c.red(`rejected: ${defined(problems[0]).message}`)] : []),
    ...similarItems.map((text) => c.yellow(text)),
    ...(unsupported.length > 0 ? [c.dim(`unsupported: ${unsupported.join(' · ')}`)] : []),
  ]
  return `${c.bold(`[${number}]`)}${marks.length > 0 ? ` ${marks.join(', ')}` : ''}\n${text.trimEnd()}\n`
}
