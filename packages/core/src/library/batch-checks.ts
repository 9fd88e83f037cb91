import { sendScope } from './send.js'
import type { LibraryFiles } from '../artefacts/read.js'
import type { BatchModel, EnvelopeModel, Shape } from '../artefacts/artefacts.js'
import type { CompileEnv } from '../compile/env.js'
import { compileKeep } from '../compile/keep.js'
import { columnOfPath, type AnswerColumn } from '../outputs/columns.js'
import { problem, ProblemError, type Report } from '../problems/problem.js'
import type { Path } from '../text/nodes.js'
import { pathsIn, pathsOf } from '../text/paths.js'
import { accept, topLevel } from '../values/accept.js'
import type { Declared, ValueType } from '../values/types.js'

/** What a batch and its envelope may name of its prompt. */
export interface BatchScope {
  readonly variables: readonly Declared[]
  readonly answerColumns: readonly AnswerColumn[]
}

/** What is wrong with a batch by its own file, its envelope and its prompt; what its tables hold is not looked at. */
export function checkBatch(batch: BatchModel, scope: BatchScope, files: LibraryFiles, env: CompileEnv, report: Report): void {
  checkSet(batch, scope, report)
  checkRecord(batch, scope, report)
  checkColumns(batch, scope, report)
  checkPlaces(batch, report)
  checkAnswers(batch, scope, env, report)
  if (!batch.envelope) return
  const { name, span } = batch.envelope
  const envelope = files.envelopes.get(name)
  if (envelope) checkEnvelope(envelope, scope.variables, report)
  else report(problem('use-unknown', { name, what: 'envelope', known: [...files.envelopes.keys()] }, span))
}

/** `set:` names variables, and gives them values that they take. A file is given by its path. */
function checkSet({ set, setSpans }: BatchModel, { variables }: BatchScope, report: Report): void {
  for (const [name, value] of Object.entries(set)) {
    const span = setSpans.get(name)
    const declared = variables.find((d) => d.name === name)
    if (!declared) report(problem('value-undeclared', { name, known: variables.map((d) => d.name) }, span))
    else if (declared.type.kind !== 'file')
      accept(value, declared, topLevel(name), (p) => report(problem('set-invalid', { name, why: p.message, fix: p.hint }, span)))
  }
}

/** `as:` names a record variable. */
function checkRecord({ records, set }: BatchModel, { variables }: BatchScope, report: Report): void {
  const open = variables.filter(({ name, type }) => type.kind === 'record' && !Object.hasOwn(set, name)).map(({ name }) => name)
  if (records?.as !== undefined && !open.includes(records.as))
    report(problem('record-undeclared', { name: records.as, known: open }, records.span))
}

/** The keys of `columns:` are variables, fields of the record and of joined rows, or names that conditions use. */
function checkColumns(batch: BatchModel, { variables }: BatchScope, report: Report): void {
  const { columns, records, join } = batch
  const paths = [...pathsOfRecord(batch), ...join.flatMap(({ where }) => pathsOf(where.condition))]
  const mentioned = new Set(paths.flatMap(({ name, steps }) => [name, ...(steps[0] ? [`${name}.${steps[0].key}`, steps[0].key] : [])]))
  const fieldsOfVariable = (name: string) => fieldsOf(variables.find((d) => d.name === name)?.type)
  const rows = records?.as === undefined ? variables.filter(({ type }) => type.kind === 'record').map(({ name }) => name) : [records.as]
  const fieldsOfRow = rows.flatMap((name) => fieldsOfVariable(name) ?? [])
  const isOpen = rows.some((name) => fieldsOfVariable(name) === undefined)
  const holders = [...new Set([...rows, ...join.map(({ as }) => as), ...variables.map(({ name }) => name)])]
  for (const [key, { span }] of columns) {
    const [first = key, ...rest] = key.split('.')
    if (mentioned.has(key) || variables.some((d) => d.name === key) || fieldsOfRow.includes(key)) continue
    if (isOpen && !key.includes('.')) continue
    if (rest.length === 0 || !holders.includes(first)) {
      report(problem('name-unknown', { name: first, known: rest.length === 0 ? [...holders, ...fieldsOfRow] : holders }, span))
      continue
    }
    const field = rest.join('.')
    const known = fieldsOfVariable(first)
    if (known && !known.includes(field)) report(problem('field-unknown', { name: field, of: first, known }, span))
  }
}

/** What a batch looks at to keep, name and place its records. */
export function pathsOfRecord({ keep, called, to }: BatchModel): readonly Path[] {
  return [...(keep ? pathsOf(keep.condition) : []), ...(called ? pathsIn(called) : []), ...(to ? pathsIn(to.text) : [])]
}

/** The names of a record's fields, or those of the rows of a list; undefined where none are declared. */
function fieldsOf(type: ValueType | undefined): readonly string[] | undefined {
  const row = type?.kind === 'list' ? type.item : type
  return row?.kind === 'record' || row?.kind === 'table' ? row.fields?.map(({ name }) => name) : undefined
}

/** Every file that a batch writes is one of its own. */
function checkPlaces({ to, send }: BatchModel, report: Report): void {
  for (const { path, span } of send) if (path === to?.path) report(problem('output-twice', { path }, span))
}

/** What a batch does with answers names only what is there. */
function checkAnswers({ flatten, send, span }: BatchModel, scope: BatchScope, env: CompileEnv, report: Report): void {
  const nested = scope.answerColumns.filter((column) => column.nested).map(({ name }) => name)
  for (const name of flatten.map(columnOfPath))
    if (name !== '' && !nested.includes(name)) report(problem('flatten-invalid', { name, known: nested }, span))
  const seen = sendScope(scope)
  for (const { when } of send) {
    try {
      compileKeep(when.condition, seen, env)
    } catch (fault) {
      if (!(fault instanceof ProblemError)) throw fault
      for (const p of fault.problems) report(p)
    }
  }
}

const RECORD_KEYS = ['id', 'row', 'fields']
/** What an envelope places, and what of it has parts that are known. */
const ENVELOPE_NAMES = [
  'record',
  'values',
  'prompt',
  'fingerprint',
  'tokens',
  'settings',
  'output',
  'schema',
  'strict-schema',
  'turns',
  'dialogue',
  'system',
] as const
export type EnvelopeName = (typeof ENVELOPE_NAMES)[number]
const TURN_NAMES = ['role', 'text', 'name', 'parts'] as const
export type TurnName = (typeof TURN_NAMES)[number]

/** Every slot of an envelope is something that a batch or a model offers; without variables, the values of a prompt are not looked at. */
export function checkEnvelope({ line, turn }: EnvelopeModel, variables: readonly Declared[] | undefined, report: Report): void {
  const unknown = (name: string, known: readonly string[], span: Path['span']) =>
    report(problem('envelope-name-unknown', { name, known }, span))
  for (const path of line ? pathsOfShape(line) : []) {
    const [step, field] = path.steps
    if (!(ENVELOPE_NAMES as readonly string[]).includes(path.name)) unknown(path.name, ENVELOPE_NAMES, path.span)
    else if (path.name === 'record' && step && !RECORD_KEYS.includes(step.key)) unknown(step.key, RECORD_KEYS, step.span)
    else if (path.name === 'values' && step && variables) {
      const declared = variables.find(({ name }) => name === step.key)
      const known = fieldsOf(declared?.type)
      if (!declared)
        unknown(
          step.key,
          variables.map(({ name }) => name),
          step.span,
        )
      else if (field && declared.type.kind === 'record' && known && !known.includes(field.key)) unknown(field.key, known, field.span)
    }
  }
  for (const path of turn ? pathsOfShape(turn) : [])
    if (!(TURN_NAMES as readonly string[]).includes(path.name)) unknown(path.name, TURN_NAMES, path.span)
}

function pathsOfShape(shape: Shape): readonly Path[] {
  switch (shape.kind) {
    case 'keys':
      return shape.entries.flatMap(([, value]) => pathsOfShape(value))
    case 'list':
      return shape.items.flatMap(pathsOfShape)
    case 'text':
      return pathsIn(shape.text)
    case 'data':
      return []
  }
}
