import { defined } from '../invariant.js'
import { Scope, variableBinding } from './scope.js'
import type { CompileEnv } from './env.js'
import type { Context } from './context.js'
import { compileText } from './text.js'
import type { ExampleCase, ExampleSetModel } from '../artefacts/artefacts.js'
import { fieldsIn } from '../artefacts/case-layouts.js'
import { Picker } from '../examples/picker.js'
import { SET_RULES } from '../examples/rules/index.js'
import type { SetFacts } from '../examples/rules/facts.js'
import { problem, ProblemError, type Report } from '../problems/problem.js'
import { emptyRun } from '../render/choose.js'
import type { Op } from '../render/run.js'
import type { Piece, Text } from '../text/nodes.js'
import type { Declared } from '../values/types.js'
import { write } from '../values/write.js'

/** A set with its cases' sides written: made once for a library and shared by all prompts and records. */
export interface PreparedSet {
  readonly model: ExampleSetModel
  /** Each case's values in the order of the fields. */
  readonly rows: readonly (readonly unknown[])[]
  readonly inputs: readonly string[]
  /** Undefined where the answer has the form of a prompt's output. */
  readonly expected: readonly (string | undefined)[]
  readonly label: Declared | undefined
  readonly picker: Picker
  readonly facts: SetFacts
}

/** Writes a set's cases, and checks them: problems of the set itself are reported. */
export function prepareSet(model: ExampleSetModel, shelves: CompileEnv, alone: Context, report: Report): PreparedSet {
  const { fields, cases, pick } = model
  const rows = cases.map((exampleCase) => caseRow(model, exampleCase))
  const context: Context = { ...alone, scope: caseScope(model), kind: 'example', place: model.name }
  const ask = compileText(model.input, context, true)
  const answer = model.expected === 'output' ? undefined : compileText(model.expected, { ...context, role: 'assistant' }, true)
  const inputs = rows.map((row) => writeAlone(ask, row) ?? '')
  const expected = rows.map((row) => answer && writeAlone(answer, row))
  const label = labelOf(model)
  const position = label ? fields.indexOf(label) : -1
  const grouped = pick.cover === undefined ? position : fields.findIndex((field) => field.name === pick.cover)
  const { countTokens } = shelves
  if (pick.budget !== undefined && !countTokens) report(problem('budget-uncounted', { set: model.name }, model.pickSpan))
  const tokens = new Map<number, number>()
  const tokensOf = (index: number): number => {
    const known = tokens.get(index) ?? countTokens?.(`${defined(inputs[index])}\n${expected[index] ?? ''}`) ?? 0
    tokens.set(index, known)
    return known
  }
  const texts = (index: number, field: number) => write(defined(rows[index])[field], defined(fields[field]).type)
  const picker = new Picker({
    texts: inputs,
    rule: pick,
    labelOf: grouped < 0 ? undefined : (index) => texts(index, grouped),
    tokensOf,
    likeness: shelves.likeness.get(model.name),
  })
  const reader = model.expected === 'output' ? undefined : answerReader(model.expected, fields)
  const facts: SetFacts = {
    name: model.name,
    span: model.from?.span ?? model.span,
    cases,
    inputs,
    expected,
    label: label && {
      field: label.name,
      options: label.type.kind === 'choice' ? label.type.of : [],
      of: (index) => texts(index, position),
    },
    readBack: (index) => {
      const read = reader?.(expected[index] ?? '')
      return (
        !reader || (read !== undefined && [...read].every(([field, text]) => !fields[field] || texts(index, field).trim() === text.trim()))
      )
    },
    index: () => picker.index,
  }
  for (const rule of SET_RULES) rule.check(facts, report)
  return { model, rows, inputs, expected, label, picker, facts }
}

/** What a side of a set sees: the case's own fields. */
export function caseScope({ fields }: ExampleSetModel): Scope {
  return new Scope(fields.map((d, i) => variableBinding(d, (run) => run.example[i])))
}

function caseRow(model: ExampleSetModel, { values }: ExampleCase): unknown[] {
  return model.fields.map((field) => values[field.name])
}

/** The field that is the answer's label: a choice that the answer writes, else the set's only choice that is not asked. */
function labelOf({ fields, input, expected }: ExampleSetModel): Declared | undefined {
  const asked = fieldsIn(input)
  const answered = expected === 'output' ? undefined : fieldsIn(expected)
  return fields.find((field) => field.type.kind === 'choice' && (answered ? answered.has(field.name) : !asked.has(field.name)))
}

/** A side of a case outside any rendering; undefined where it needs one. */
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

/**
 * Reads an answer by its layout, where the layout is fixed text and plain slots: what each field's slot would be found to hold. Slots are
 * found from the left, as short as the fixed text behind them allows.
 */
function answerReader(layout: Text, fields: readonly Declared[]): ((answer: string) => Map<number, string> | undefined) | undefined {
  const slots: number[] = []
  let pattern = ''
  const pieces = layout.items.flatMap((item, i): readonly (Piece | '\n')[] =>
    item.kind !== 'line'
      ? [{ kind: 'broken', span: item.span }]
      : [...item.pieces, ...(item.ended && i < layout.items.length - 1 ? (['\n'] as const) : [])],
  )
  for (const piece of pieces) {
    if (piece === '\n') pattern += '\\n'
    else if (piece.kind === 'fixed') pattern += piece.text.replace(/[\\^$.*+?()[\]{}|/]/g, '\\$&')
    else if (
      piece.kind === 'slot' &&
      piece.value.formats.length === 0 &&
      piece.value.paths.length === 1 &&
      defined(piece.value.paths[0]).steps.length === 0
    ) {
      slots.push(fields.findIndex((field) => field.name === defined(piece.value.paths[0]).name))
      pattern += '([^]*?)'
    } else return undefined
  }
  const expression = new RegExp(`^${pattern}$`, 'u')
  return (answer) => {
    const match = expression.exec(answer)
    return match ? new Map(slots.map((field, i) => [field, defined(match[i + 1])])) : undefined
  }
}

/** The fixed beginning of an answer's layout, without spaces at its end: a started answer begins with it. */
export function fixedBeginning(layout: Text): string {
  const [line] = layout.items
  const [first] = line?.kind === 'line' ? line.pieces : []
  return first?.kind === 'fixed' ? first.text.trimEnd() : ''
}
