import { descent, type Context } from './context.js'
import { caseScope, type PreparedSet } from './example-set.js'
import type { Compilation } from './shelves.js'
import { compileText } from './text.js'
import type { Named, OutputModel, Role } from '../artefacts/artefacts.js'
import { readReply } from '../outputs/reply.js'
import { problem, type Report } from '../problems/problem.js'
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
  checkAnswers(set, compilation)
  return { ask, answer: compileText(model.answer, answering, true) }
}

function checkAnswers({ model, answers }: PreparedSet, { outputNames, shelves, report }: Compilation): void {
  for (const name of outputNames ?? []) {
    const output = shelves.outputs.get(name)
    if (!output || (output.of.length === 0 && !output.fields)) continue
    answers.forEach((answer, i) => {
      const [wrong] = answer === undefined ? [] : readReply(output, answer).problems
      const { number, span } = model.cases[i]!
      if (wrong?.code === 'reply-unfit')
        report(problem('case-unreadable', { number, answer: answer!, output: name, why: wrong.data.why }, span))
    })
  }
}

/** An answer in the form of the prompt's output: the label, or its fields as JSON. */
function outputAnswer(set: PreparedSet, { prompt, outputNames, shelves }: Compilation, context: Context, span: Span): Op {
  const { report } = context.shared
  if (!prompt.output) report(problem('use-nothing', { what: 'output' }, span))
  const names = prompt.output ? (outputNames ?? [...shelves.outputs.keys()]) : []
  const writers = new Map<string, (row: readonly unknown[]) => string>()
  for (const name of names) {
    const output = shelves.outputs.get(name)
    const writer =
      output &&
      answerWriter(set, output, (field) => report(problem('answer-form-unfit', { set: set.model.name, output: name, field }, span)))
    if (writer) writers.set(name, writer)
  }
  const from = descent(context, span)
  return (run) => run.write(writers.get(run.output)?.(run.example) ?? '', from)
}

function answerWriter(
  { model, label }: PreparedSet,
  output: OutputModel,
  lacks: (field: string) => void,
): ((row: readonly unknown[]) => string) | undefined {
  const { fields } = model
  const at = (name: string) => fields.findIndex((field) => field.name === name)
  if (output.fields) {
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
