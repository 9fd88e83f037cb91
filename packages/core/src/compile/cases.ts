import type { Context } from './context.js'
import { Scope } from './scope.js'
import { variableBinding, type Compilation } from './shelves.js'
import { compileText } from './text.js'
import type { ExampleSetModel, Named, Role } from '../artefacts/artefacts.js'
import { readLabel } from '../outputs/one-of.js'
import { problem, ProblemError, type Report } from '../problems/problem.js'
import { emptyRun } from '../render/choose.js'
import type { Op } from '../render/run.js'
import type { Span } from '../source/source.js'

/** The example set of a name; one that does not exist is reported. */
export function exampleSet(named: Named, { shelves }: Compilation, report: Report): ExampleSetModel | undefined {
  const { examples } = shelves
  const set = examples.get(named.name)
  if (!set) report(problem('use-unknown', { name: named.name, what: 'example set', known: [...examples.keys()] }, named.span))
  return set
}

/** The two sides of a case, and every case's answer tried against the prompt's output. */
export function caseOps(set: ExampleSetModel, compilation: Compilation, context: Context, span: Span, role: Role): { ask: Op; answer: Op } {
  const bindings = set.fields.map((d, i) => variableBinding(d, (run) => run.example[i], [d.name]))
  const via = { what: 'example' as const, name: set.name, span, outer: context.via }
  const within: Context = { ...context, scope: new Scope(bindings), kind: 'example', via, place: set.name }
  const ask = compileText(set.ask, { ...within, role }, true)
  const answer = compileText(set.answer, { ...within, role: role === 'user' ? 'assistant' : role }, true)
  checkAnswers(set, answer, compilation)
  return { ask, answer }
}

function checkAnswers(set: ExampleSetModel, answer: Op, { outputNames, shelves, report }: Compilation): void {
  for (const name of outputNames ?? []) {
    const output = shelves.outputs.get(name)
    if (!output || output.of.length === 0) continue
    for (const one of set.cases) {
      const text = writeAlone(answer, caseValues(set, one.values))
      if (text !== undefined && readLabel(output, text) === undefined)
        report(
          problem(
            'case-unreadable',
            { number: one.number, answer: text, output: name, why: `it names none of ${output.of.join(', ')}` },
            one.span,
          ),
        )
    }
  }
}

export function caseValues(set: ExampleSetModel, values: Readonly<Record<string, unknown>>): unknown[] {
  return set.fields.map((field) => values[field.name])
}

/** A case's answer outside any rendering; undefined where it needs one. */
function writeAlone(op: Op, example: readonly unknown[]): string | undefined {
  const run = emptyRun()
  run.example = example
  try {
    op(run)
    return run.out
  } catch (fault) {
    if (fault instanceof ProblemError) return undefined
    throw fault
  }
}
