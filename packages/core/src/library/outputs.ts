import { defined } from '../invariant.js'
import { baseOf } from './base.js'
import type { ExampleSetModel, FieldsModel, OneOfModel, OutputModel } from '../artefacts/artefacts.js'
import type { PreparedSet } from '../compile/example-set.js'
import type { CheckData } from '../outputs/shape.js'
import type { JsonSchema } from '../interop/to-schema.js'
import { problem, type Report } from '../problems/problem.js'
import { passagesIn } from '../text/passages.js'
import { describe, type Declared } from '../values/types.js'
import { write } from '../values/write.js'

/** Makes a check of a JSON Schema (2020-12): what is wrong with data by it. It throws where the schema itself cannot be used. */
export type Validator = (schema: JsonSchema) => CheckData

/** Whether one of the outputs is a JSON Schema, so that its answers need a validator. */
export function needsValidator({ outputs }: { readonly outputs: Outputs }): boolean {
  return [...outputs.values()].some((output) => output.form === 'fields' && output.schema !== undefined)
}

type Outputs = ReadonlyMap<string, OutputModel>

/** The outputs, joined with their bases, and their labels if an example set has them. */
export function joinOutputs(outputs: Outputs, sets: ReadonlyMap<string, PreparedSet>, report: Report): Map<string, OutputModel> {
  const joined = new Map<string, OutputModel>()
  for (const output of outputs.values()) {
    const whole = joinOutput(output, outputs, report)
    checkParts(whole, report)
    joined.set(output.name, whole.form === 'one-of' ? withLabels(whole, sets, report) : whole)
  }
  return joined
}

function joinOutput(output: OutputModel, outputs: Outputs, report: Report, below: readonly OutputModel[] = []): OutputModel {
  const chain = [...below, output]
  const base = baseOf(output, outputs, 'output', new Set(chain.map(({ name }) => name)), chain, report)
  // What is wrong with the base is reported where it is joined itself.
  return base
    ? derive(
        output,
        joinOutput(base, outputs, () => undefined, chain),
        report,
      )
    : output
}

/** The fields and passages that `cites` and `not-counting` name. */
function checkParts(output: OutputModel, report: Report): void {
  const { whole } = output
  if (!whole) return
  const lists = output.form === 'fields' ? output.fields.filter(({ type }) => type.kind === 'list' || type.kind === 'table') : []
  const known =
    output.form === 'fields'
      ? output.fields.map(({ name }) => name)
      : output.form === 'document' && output.text
        ? passagesIn(output.text).map(({ name }) => name)
        : []
  for (const { name, span } of [...(whole.cites ? [whole.cites] : []), ...whole.notCounting])
    if (!known.includes(name)) report(problem('field-unknown', { name, of: output.name, known }, span))
  const { cites } = whole
  if (output.form === 'fields' && cites && known.includes(cites.name) && !lists.some(({ name }) => name === cites.name))
    report(problem('key-invalid', { key: 'cites', expected: 'a field that is a list', found: JSON.stringify(cites.name) }, cites.span))
}

function derive(output: OutputModel, base: OutputModel, report: Report): OutputModel {
  const contradicts = (why: string, span = defined(output.basedOn).span) =>
    report(problem('output-contradicts', { base: base.name, why }, span, [{ message: `"${base.name}" is defined here`, span: base.span }]))
  const common = {
    about: output.about ?? base.about,
    show: output.show ?? base.show,
    mustSay: [...base.mustSay, ...output.mustSay],
    mustNotSay: [...base.mustNotSay, ...output.mustNotSay],
    whole: output.whole ?? base.whole,
  }
  if (output.form === 'fields' && base.form === 'fields') {
    if (base.schema) contradicts('it is a JSON Schema, which nothing can be based on')
    const own = new Map(output.fields.map((field) => [field.name, field]))
    for (const field of base.fields) {
      const mine = own.get(field.name)
      const why = mine && contradiction(mine, field)
      if (why !== undefined) contradicts(why, defined(mine).span)
    }
    const names = new Set(output.fields.map((field) => field.name))
    const merged = base.fields.map((field) => own.get(field.name) ?? field)
    const added = output.fields.filter((field) => !base.fields.some((declared) => declared.name === field.name))
    const slots = [...base.slots.filter((slot) => !names.has(slot.path[0] ?? '')), ...output.slots]
    return { ...output, ...common, fields: [...merged, ...added], slots } satisfies FieldsModel
  }
  if (output.form === 'one-of' && base.form === 'one-of') {
    const hasLabels = output.of.length > 0 || output.from !== undefined
    const { of, labels, from } = hasLabels ? output : base
    return { ...output, ...common, field: output.field ?? base.field, of, ...(labels && { labels }), from }
  }
  if (output.form === 'rows' && base.form === 'rows')
    return {
      ...output,
      ...common,
      row: output.row ?? base.row,
      min: output.min ?? base.min,
      max: output.max ?? base.max,
      slots: output.slots.length > 0 ? output.slots : base.slots,
    }
  if (output.form === 'document' && base.form === 'document') return { ...output, ...common, text: output.text ?? base.text }
  contradicts(`it is of the kind ${base.form}`)
  return output
}

/** Why a reply could not fit a field both as the base declares it and as the derived output does. */
function contradiction({ name, type }: Declared, { type: base }: Declared): string | undefined {
  const whole = type.kind === 'integer' && base.kind === 'number'
  if (type.kind !== base.kind && !whole) return `"${name}" is ${describe(base)} there, and ${describe(type)} here`
  if (type.kind === 'choice' && base.kind === 'choice') {
    const foreign = type.of.find((option) => !base.of.includes(option))
    return foreign === undefined ? undefined : `"${name}" has no option "${foreign}" there`
  }
  const bounds = (from: object, key: string) => (from as Record<string, unknown>)[key]
  for (const unit of ['', 'Length', 'Words', 'Items']) {
    const [low, high] = [bounds(type, `min${unit}`), bounds(type, `max${unit}`)]
    const [least, most] = [bounds(base, `min${unit}`), bounds(base, `max${unit}`)]
    if (isAbove(low, most) || isAbove(least, high)) return `no value of "${name}" satisfies the bounds of both`
  }
  return undefined
}

function isAbove(low: unknown, high: unknown): boolean {
  return (
    (typeof low === 'number' && typeof high === 'number' && low > high) ||
    (typeof low === 'string' && typeof high === 'string' && low > high)
  )
}

function withLabels(output: OneOfModel, sets: ReadonlyMap<string, PreparedSet>, report: Report): OneOfModel {
  if (!output.from) return output
  const { set: named, field } = output.from
  const set = sets.get(named.name)
  const fields = set?.model.fields ?? []
  const declared = fields.find((declared) => declared.name === field.name)
  if (!set) report(problem('use-unknown', { name: named.name, what: 'example set', known: [...sets.keys()] }, named.span))
  else if (!declared)
    report(problem('field-unknown', { name: field.name, of: named.name, known: fields.map((field) => field.name) }, field.span))
  if (!set || !declared) return output
  const of = labelsOf(set, declared)
  if (of.length === 0) report(problem('labels-missing', { field: field.name, set: named.name }, field.span))
  return { ...output, of }
}

/** The options of a choice; of a text all values of the cases. */
function labelsOf(
  set: { readonly model: ExampleSetModel; readonly rows: readonly (readonly unknown[])[] },
  { name, type }: Declared,
): string[] {
  if (type.kind === 'choice') return [...type.of]
  if (type.kind !== 'text') return []
  const position = set.model.fields.findIndex((field) => field.name === name)
  return [...new Set(set.rows.map((row) => write(row[position], type)).filter((label) => label !== ''))]
}

/** The validator for outputs that are JSON Schemas: needed if the schema has rules that fields cannot express. */
export function checksOf(outputs: Outputs, validator: Validator | undefined, report: Report): Map<string, CheckData> {
  const checks = new Map<string, CheckData>()
  for (const output of outputs.values()) {
    if (output.form !== 'fields' || !output.schema) continue
    const { content, whole, isValid } = output.schema
    if (!isValid) continue
    if (!validator) {
      if (!whole) report(problem('schema-unchecked', { output: output.name }, output.span))
      continue
    }
    try {
      checks.set(output.name, validator(content))
    } catch (fault) {
      report(problem('schema-invalid', { why: fault instanceof Error ? fault.message : String(fault) }, output.span))
    }
  }
  return checks
}
