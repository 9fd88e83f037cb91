import { printProblem, type Problem, type ProblemRecord } from 'dunelight'
import { colorsFor, paintFor, plural, type CommandContext } from './context.js'

/** Rejected records that are listed one by one. */
const MOST_LISTED = 20

/** Records that were rejected: all are counted, the first of them listed. */
export class RejectedList {
  private readonly listed: { readonly id: string; readonly problems: readonly Pick<ProblemRecord, 'message' | 'hint'>[] }[] = []
  private count = 0

  /** @param isWhole Whether all of them are listed. */
  constructor(private readonly isWhole = false) {}

  add(id: string, problems: readonly Pick<ProblemRecord, 'message' | 'hint'>[]): void {
    this.count++
    if (this.isWhole || this.listed.length < MOST_LISTED) this.listed.push({ id, problems })
  }

  /** `kept`: whether a file has them all. */
  print({ stderr, env }: CommandContext, kept: boolean): void {
    const c = colorsFor(stderr, env)
    for (const { id, problems } of this.listed) {
      for (const p of problems)
        stderr.write(`${c.yellow('rejected')} ${id}: ${p.message}${p.hint === undefined ? '' : c.dim(` (${p.hint})`)}\n`)
    }
    const more = this.count - this.listed.length
    if (more > 0) stderr.write(`… and ${plural(more, 'more record')}${kept ? '' : ': --rejected FILE writes all of them'}\n`)
  }
}

/** A record may carry more than a prompt takes: columns that are not used are worth a line only if a slip is likely. */
export function printHeadings({ stderr, env, isVerbose = false }: CommandContext, problems: readonly Problem[]): void {
  const paint = paintFor(colorsFor(stderr, env))
  for (const p of problems)
    if (isVerbose || p.code !== 'heading-unused' || p.hint !== undefined) stderr.write(`${printProblem(p, paint)}\n`)
}
