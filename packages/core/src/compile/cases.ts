import { defined } from '../invariant.js'
import { textOrigin, type Context } from './context.js'
import { caseScope, type PreparedSet } from './example-set.js'
import type { Compilation } from './env.js'
import { compileText } from './text.js'
import type { Named, Role } from '../artefacts/artefacts.js'
import type { Form } from '../outputs/form.js'
import { finishDocument } from '../outputs/document/document.js'
import { passagesOf, type DocumentShape } from '../outputs/shape.js'
import { problem, type Report } from '../problems/problem.js'
import { captured } from '../render/capture.js'
import type { FormPlan } from '../render/plan.js'
import type { Op, Run } from '../render/run.js'
import type { Span } from '../source/source.js'
import { clip } from '../values/data.js'
import type { Declared, ValueType } from '../values/types.js'
import { toJson, write } from '../values/write.js'

/** The example set of a name; one that does not exist is reported. */
export function exampleSet(named: Named, { env }: Compilation, report: Report): PreparedSet | undefined {
  const set = env.sets.get(named.name)
  if (!set) report(problem('use-unknown', { name: named.name, what: 'example set', known: [...env.sets.keys()] }, named.span))
  return set
}

/** The two sides of a case as the prompt writes them, and every case's answer tried against the prompt's output. */
export function caseOps(set: PreparedSet, compilation: Compilation, context: Context, span: Span, role: Role): { ask: Op; answer: Op } {
  const { model } = set
  const via = { what: 'example' as const, name: model.name, span, outer: context.via }
  const within: Context = { ...context, scope: caseScope(model), kind: 'example', via, place: model.name }
  const ask = compileText(model.input, { ...within, role }, true)
  const answering: Context = { ...within, role: role === 'user' ? 'assistant' : role }
  if (model.expected === 'output') return { ask, answer: outputAnswer(set, compilation, answering, span) }
  checkAnswers(set, compilation, (i) => set.expected[i])
  return { ask, answer: compileText(model.expected, answering, true) }
}

/** Every case's answer is tried against each output that the prompt can have, where its form is the same for every record. */
function checkAnswers(
  { model }: PreparedSet,
  { outputNames, forms, report, otherForms }: Compilation,
  answerOf: (i: number, output: string) => string | undefined,
): void {
  for (const output of outputNames ?? []) {
    const form = forms.get(output)?.fixed
    // Without labels nothing could be read: that is reported where they are missing.
    if (!form || (form.shape.form === 'one-of' && form.shape.of.length === 0)) continue
    model.cases.forEach(({ number, span }, i) => {
      const answer = answerOf(i, output)
      if (answer === undefined) return
      const {
        problems: [wrong],
        repairs: [repair],
      } = form.read(answer)
      if (i === 0 && repair && form.instruction !== '')
        otherForms.push(problem('expected-other-form', { set: model.name, expected: clip(answer), output, why: repair.message }, span))
      if (wrong) report(problem('case-unreadable', { number, answer, output, why: wrong.message }, span))
    })
  }
}

/** Writes a case's expected output; the form is computed only if the text depends on the record. */
type AnswerWriter = (row: readonly unknown[], form: () => Form) => string

/** An answer in the form of the prompt's output, from the columns that such an answer fills beside a record. */
function outputAnswer(set: PreparedSet, compilation: Compilation, context: Context, span: Span): Op {
  const { report } = context.shared
  const { prompt, forms } = compilation
  if (!prompt.output) report(problem('use-nothing', { what: 'output' }, span))
  const writers = new Map<string, AnswerWriter>()
  for (const [name, form] of forms) {
    const lacking: string[] = []
    const writer = answerWriter(set, form, (field) => lacking.push(field))
    for (const field of lacking) report(problem('expected-form-invalid', { set: set.model.name, output: name, field }, span))
    // What cannot be written whole need not be read.
    if (writer && lacking.length === 0) writers.set(name, writer)
  }
  checkAnswers(set, compilation, (i, name) => writers.get(name)?.(defined(set.rows[i]), () => defined(defined(forms.get(name)).fixed)))
  const from = textOrigin(context, span)
  return (run) => run.write(writers.get(run.output)?.(run.example, () => defined(forms.get(run.output)).form(run)) ?? '', from)
}

function answerWriter({ model, label }: PreparedSet, form: FormPlan, lacks: (field: string) => void): AnswerWriter | undefined {
  const { shape } = form.outline
  const indexOf = (name: string) => model.fields.findIndex((field) => field.name === name)
  switch (shape.form) {
    case 'fields': {
      const places = shape.fields.map((field) => ({ field, at: indexOf(field.name) }))
      for (const place of places) if (place.at < 0 && !place.field.optional) lacks(place.field.name)
      const present = places.filter((place) => place.at >= 0)
      return (row) =>
        JSON.stringify(
          Object.fromEntries(
            present.flatMap(({ field, at: position }) => (isThere(row[position]) ? [[field.name, toJson(row[position])]] : [])),
          ),
        )
    }
    case 'one-of':
      if (!label) lacks('the label')
      return label && ((row, form) => form().write({ [shape.field]: write(row[indexOf(label.name)], label.type) }))
    case 'rows': {
      const place = indexOf('rows')
      const fields = place < 0 ? [] : fieldsWithin(defined(model.fields[place]).type)
      if (fields.length === 0) lacks('rows')
      else for (const { name } of passagesOf(shape)) if (!fields.some((field) => field.name === name)) lacks(`rows.${name}`)
      return (row, form) => form().write({ rows: row[place] ?? [] })
    }
    case 'document': {
      const text = (row: readonly unknown[], place: number) =>
        isThere(row[place]) ? write(row[place], defined(model.fields[place]).type) : ''
      const whole = shape.show === 'json-schema' ? -1 : indexOf('document')
      if (whole >= 0) return (row) => text(row, whole)
      const places = passagesOf(shape).map(({ name }) => ({ name, at: indexOf(name) }))
      // Where the record decides what stands around the passages, they alone are no document.
      for (const item of form.fixed ? places : [{ name: 'document', at: whole }]) if (item.at < 0) lacks(item.name)
      return (row, form) => {
        const { shape: own } = form() as { shape: DocumentShape }
        return form().write(finishDocument(own.segments, Object.fromEntries(places.map((place) => [place.name, text(row, place.at)]))))
      }
    }
  }
}

function isThere(value: unknown): boolean {
  return value !== null && value !== undefined
}

/** The fields of the records of a table, or of a list of records. */
function fieldsWithin(type: ValueType): readonly Declared[] {
  const record = type.kind === 'list' ? type.item : type
  return (record.kind === 'record' || record.kind === 'table') && record.fields ? record.fields : []
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
    const picked = picker.pick(live?.(run), (name) => run.random(`${model.name} ${name}`))
    ;(run.picks ??= []).push({ set: model.name, ...picked })
    const count = picked.cases.length
    const { cut } = picked
    // A budget that no case fits into was not meant.
    const least = pick.atLeast ?? (cut > 0 ? 1 : 0)
    if (count < least) (run.warnings ??= []).push(problem('picked-few', { set: model.name, count, least, cut }, model.pickSpan))
    return picked.cases.map((pickedCase) => pickedCase.case)
  }
}

/** A text of the prompt as what cases are likened to. */
export function liveText(op: Op): (run: Run) => string {
  return (run) => captured(op, run)
}
