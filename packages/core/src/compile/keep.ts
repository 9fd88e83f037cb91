import { variableBinding } from './scope.js'
import { compileCondition } from './condition.js'
import type { Context } from './context.js'
import { standaloneContext } from './prompt.js'
import type { CompileEnv } from './env.js'
import { compileText } from './text.js'
import { ProblemError, type Problem } from '../problems/problem.js'
import { captured } from '../render/capture.js'
import { emptyRun } from '../render/choose.js'
import type { Run } from '../render/run.js'
import { Source } from '../source/source.js'
import { parseWholeText } from '../text/whole-text.js'
import type { Condition, Text } from '../text/nodes.js'
import { parseCondition } from '../text/values.js'
import type { Declared } from '../values/types.js'

/**
 * A condition of the language over rows: `grade is "urgent" and note has "rust"`. Rows hold the values of the declared names, in order.
 *
 * @throws ProblemError where it cannot be read, or names what is not declared.
 */
export function compileKeep(
  condition: string | Condition,
  declared: readonly Declared[],
  shelves: CompileEnv,
): (row: readonly unknown[]) => boolean {
  return overRows(declared, shelves, (context, report) => {
    const parsed =
      typeof condition === 'string' ? parseWholeText(new Source('--keep', condition), 'keep', 100, report, parseCondition) : condition
    return parsed && compileCondition(parsed, context)
  })
}

/**
 * A text of the language over rows: `{item.number}`.
 *
 * @throws ProblemError where it names what is not declared.
 */
export function compileWords(text: Text, declared: readonly Declared[], shelves: CompileEnv): (row: readonly unknown[]) => string {
  return overRows(declared, shelves, (context) => {
    const op = compileText(text, context, true)
    return (run) => captured(op, run)
  })
}

function overRows<T>(
  declared: readonly Declared[],
  shelves: CompileEnv,
  compile: (context: Context, report: (p: Problem) => void) => ((run: Run) => T) | undefined,
): (row: readonly unknown[]) => T {
  const problems: Problem[] = []
  const report = (p: Problem) => problems.push(p)
  const bindings = declared.map((d, i) => ({ ...variableBinding({ ...d, optional: true }, (run) => run.example[i]), untrusted: false }))
  const getter = compile(standaloneContext(bindings, shelves, report), report)
  if (problems.some((p) => p.severity === 'error') || !getter) throw new ProblemError(problems)
  return (row) => {
    const run = emptyRun()
    run.example = row
    return getter(run)
  }
}
