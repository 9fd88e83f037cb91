import { variableBinding } from './scope.js'
import { compileCondition } from './condition.js'
import { standaloneContext } from './prompt.js'
import type { Shelves } from './shelves.js'
import { ProblemError, type Problem } from '../problems/problem.js'
import { emptyRun } from '../render/choose.js'
import { Source } from '../source/source.js'
import { parseAlone } from '../text/alone.js'
import { parseCondition } from '../text/values.js'
import type { Declared } from '../values/types.js'

/**
 * A condition of the language over rows: `grade is "urgent" and note has "rust"`. Rows hold the values of the declared names, in order.
 *
 * @throws ProblemError where it cannot be read, or names what is not declared.
 */
export function compileKeep(condition: string, declared: readonly Declared[], shelves: Shelves): (row: readonly unknown[]) => boolean {
  const problems: Problem[] = []
  const report = (p: Problem) => problems.push(p)
  const parsed = parseAlone(new Source('--keep', condition), 'keep', 100, report, parseCondition)
  const bindings = declared.map((d, i) => ({ ...variableBinding({ ...d, optional: true }, (run) => run.example[i]), outside: false }))
  const test = parsed && compileCondition(parsed, standaloneContext(bindings, shelves, report))
  if (problems.length > 0 || !test) throw new ProblemError(problems)
  return (row) => {
    const run = emptyRun()
    run.example = row
    return test(run)
  }
}
