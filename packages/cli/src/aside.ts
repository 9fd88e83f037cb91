import { printProblem, type Problem, type ProblemRecord } from 'dunelight'
import { colorsFor, paintFor, plural, type Surroundings } from './surroundings.js'

/** A problem, or what a thread says of one. */
type Told = Pick<Problem | ProblemRecord, 'message' | 'hint'>

/** So many records are told of one by one. */
const MOST_SAID = 20

/** Records that were set aside: all are counted, the first of them told of. */
export class Asides {
  private readonly told: { readonly id: string; readonly problems: readonly Told[] }[] = []
  private count = 0

  add(id: string, problems: readonly Told[]): void {
    this.count++
    if (this.told.length < MOST_SAID) this.told.push({ id, problems })
  }

  /** `kept`: whether a file has them all. */
  print({ stderr, env }: Surroundings, kept: boolean): void {
    const c = colorsFor(stderr, env)
    for (const { id, problems } of this.told) {
      for (const p of problems)
        stderr.write(`${c.yellow('set aside')} ${id}: ${p.message}${p.hint === undefined ? '' : c.dim(` (${p.hint})`)}\n`)
    }
    const more = this.count - this.told.length
    if (more > 0) stderr.write(`… and ${plural(more, 'more record')}${kept ? '' : ': --aside FILE keeps them all'}\n`)
  }
}

/** A record may carry more than a prompt takes: columns that are left aside are worth a line only where a slip is likely. */
export function printHeadings({ stderr, env }: Surroundings, problems: readonly Problem[]): void {
  const paint = paintFor(colorsFor(stderr, env))
  for (const p of problems) if (p.code !== 'heading-unused' || p.hint !== undefined) stderr.write(`${printProblem(p, paint)}\n`)
}
