import { descent, type Context } from './context.js'
import { caseScope, type PreparedSet } from './example-set.js'
import type { Compilation } from './shelves.js'
import { compileText } from './text.js'
import type { Named, OutputModel, Role } from '../artefacts/artefacts.js'
import { problem, type Problem, type Report } from '../problems/problem.js'
import { captured } from '../render/capture.js'
import type { Op, Run } from '../render/run.js'
import type { Span } from '../source/source.js'
import { toJson, write } from '../values/write.js'

/** The example set of a name; one that does not exist is reported. */
export function exampleSet(named: Named, { shelves }: Compilation, report: Report): PreparedSet | undefined {
  const set = shelves.sets.get(named.name)
  if (!set) report(problem('use-unknown', { name: named.name, what: 'example set', known: [...shelves.sets.keys()] }, named.span))
  return set
}

/** The two sides of a case as the prompt writes them, and every case's answer tried against the prompt's output. */
export function caseOps(set: PreparedSet, compilation: Compilation, context: Context, span: Span, role: Role): { ask: Op; answer: Op } {
  const { model } = set
  const via = { what: 'example' as const, name: model.name, span, outer: context.via }
  const within: Context = { ...context, scope: caseScope(model), kind: 'example', via, place: model.name }
  const ask = compileText(model.ask, { ...within, role }, true)
  const answering: Context = { ...within, role: role === 'user' ? 'assistant' : role }
  if (model.answer === 'output') return { ask, answer: outputAnswer(set, compilation, answering, span) }
  checkAnswers(set, compilation, (i) => set.answers[i])
  return { ask, answer: compileText(model.answer, answering, true) }
}

/** Every case's answer is tried against each output that the prompt can have, where its form is the same for every record. */
function checkAnswers(
  { model }: PreparedSet,
  { outputNames, forms, report }: Compilation,
  answerOf: (i: number, output: string) => string | undefined,
): void {
  for (const name of outputNames ?? []) {
    const form = forms.get(name)?.fixed
    model.cases.forEach(({ number, span }, i) => {
      const answer = form && answerOf(i, name)
      const [wrong] = answer === undefined ? [] : form!.read(answer).problems
      if (wrong) report(problem('case-unreadable', { number, answer: answer!, output: name, why: wrong.message }, span))
    })
  }
}

/** An answer in the form of the prompt's output: the label, or its fields as JSON. */
function outputAnswer(set: PreparedSet, compilation: Compilation, context: Context, span: Span): Op {
  const { report } = context.shared
  const { prompt, shelves, forms } = compilation
  if (!prompt.output) report(problem('use-nothing', { what: 'output' }, span))
  const writers = new Map<string, (row: readonly unknown[]) => string>()
  for (const name of forms.keys()) {
    const output = shelves.outputs.get(name)!
    const faults: Problem[] = []
    const writer = answerWriter(
      set,
      output,
      (field) => faults.push(problem('answer-form-unfit', { set: set.model.name, output: name, field }, span)),
      (what) => faults.push(problem('not-here-yet', { what: `an example's answer in the form of ${what}` }, span)),
    )
    for (const fault of faults) report(fault)
    // What cannot be written whole need not be read.
    if (faults.length > 0) continue
    if (writer) writers.set(name, writer)
  }
  checkAnswers(set, compilation, (i, name) => writers.get(name)?.(set.rows[i]!))
  const from = descent(context, span)
  return (run) => run.write(writers.get(run.output)?.(run.example) ?? '', from)
}

function answerWriter(
  { model, label }: PreparedSet,
  output: OutputModel,
  lacks: (field: string) => void,
  cannot: (what: string) => void,
): ((row: readonly unknown[]) => string) | undefined {
  const { fields } = model
  const at = (name: string) => fields.findIndex((field) => field.name === name)
  if (output.form === 'rows' || output.form === 'document') {
    cannot(output.form === 'rows' ? 'rows' : 'a document')
    return undefined
  }
  if (output.form === 'fields') {
    const places = output.fields.map((field) => ({ field, at: at(field.name) }))
    for (const one of places) if (one.at < 0 && !one.field.optional) lacks(one.field.name)
    const held = places.filter((one) => one.at >= 0)
    return (row) =>
      JSON.stringify(
        Object.fromEntries(
          held.flatMap(({ field, at }) => (row[at] === null || row[at] === undefined ? [] : [[field.name, toJson(row[at])]])),
        ),
      )
  }
  if (!label) lacks('the label')
  return label && ((row) => write(row[at(label.name)], label.type))
}

/** What the cases are likened to: a text of the prompt, written for the record; and by whom a case is picked for it. */
export function pickerOp(
  { model, picker }: PreparedSet,
  live: ((run: Run) => string) | undefined,
  span: Span,
  report: Report,
): (run: Run) => readonly number[] {
  const { pick } = model
  if (picker.compares && !live) report(problem('pick-without-record', { by: pick.by, set: model.name }, span))
  return (run) => {
    const picked = picker.pick(live?.(run), (name) => run.lot(`${model.name} ${name}`))
    ;(run.picks ??= []).push({ set: model.name, ...picked })
    const count = picked.cases.length
    if (count < (pick.atLeast ?? 0))
      (run.warnings ??= []).push(problem('picked-few', { set: model.name, count, least: pick.atLeast! }, model.pickSpan))
    return picked.cases.map((one) => one.case)
  }
}

/** A text of the prompt as what cases are likened to. */
export function liveText(op: Op): (run: Run) => string {
  return (run) => captured(op, run)
}
