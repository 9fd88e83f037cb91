import { readTokens } from './amounts.js'
import { defined } from '../invariant.js'
import type { ExampleCase, ExampleSetModel } from './artefacts.js'
import { Keys } from './keys.js'
import { standardExpected, standardInput } from './case-layouts.js'
import { ownPath } from './paths.js'
import { ArtefactReader, type Reading } from './reading.js'
import { readDeclarations } from './variables.js'
import { ORDERS, type Order, type PickRule } from '../examples/picker.js'
import { STRATEGIES } from '../examples/pick/index.js'
import { problem, type Problem, type Report } from '../problems/problem.js'
import type { Text } from '../text/nodes.js'
import type { YamlNode } from '../source/yaml.js'
import { accept, topLevel } from '../values/accept.js'
import { own } from '../values/data.js'
import type { Declared } from '../values/types.js'

export const SET_KEYS = {
  title: 'text',
  about: 'text',
  fields: 'map',
  input: 'text',
  expected: 'text',
  'expected-form': 'text',
  cases: 'list',
  from: 'text',
  pick: 'map',
} as const

/** Reads a file of `examples/`. */
export function readExampleSet(reading: Reading): ExampleSetModel {
  const reader = new ArtefactReader(reading, 'an example set', SET_KEYS)
  const { keys, report } = reader
  const fieldsNode = keys.required('fields')
  const fields = fieldsNode ? readDeclarations(fieldsNode, 'field', report) : []
  const input = reader.textAt('input')
  const expected = readExpected(reader)
  const artefact = reader.artefact
  return {
    kind: 'example set',
    ...artefact,
    title: keys.text('title'),
    fields,
    input: input ?? standardInput(fields, expected),
    expected: expected ?? standardExpected(fields, input),
    cases: (keys.get('cases')?.items() ?? []).map((node, i) => readCase(node, i + 1, fields, report)),
    from: readFrom(keys.get('from'), reading),
    pick: readPick(keys.get('pick'), fields, report),
    pickSpan: keys.keySpan('pick') ?? artefact.span,
  }
}

/** The layout of a case's expected side; `output`: the form of the prompt's output. */
function readExpected(reader: ArtefactReader<keyof typeof SET_KEYS>): Text | 'output' | undefined {
  const { keys, report } = reader
  const form = keys.get('expected-form')
  if (!form) return reader.textAt('expected')
  const invalid = (text: string, expected: string) =>
    report(problem('key-invalid', { key: 'expected-form', expected, found: text }, form.span))
  if (form.string?.trim() !== 'output') invalid(JSON.stringify(form.string), '"output"')
  else if (keys.has('expected')) invalid('both', 'a set without "expected"')
  return 'output'
}

function readFrom(node: YamlNode | undefined, { file, report }: Reading): ExampleSetModel['from'] {
  const path = node && ownPath(node.string ?? '', node.span, file.name, report)
  return node && path !== undefined ? { path, span: node.span } : undefined
}

export const PICK_KEYS = { by: 'text', 'at-most': 'integer', 'at-least': 'integer', cover: 'text', budget: 'any', order: 'text' } as const
const EVERYTHING: PickRule = { by: 'all', atMost: undefined, atLeast: undefined, cover: undefined, budget: undefined, order: undefined }

function readPick(node: YamlNode | undefined, fields: readonly Declared[], report: Report): PickRule {
  if (!node) return EVERYTHING
  const keys = new Keys<keyof typeof PICK_KEYS>(node, 'pick', PICK_KEYS, report)
  const named = <N extends string>(key: 'by' | 'order', known: readonly N[]): N | undefined => {
    const word = keys.text(key)
    const match = known.find((item) => item === word)
    if (word !== undefined && !match) report(problem('pick-invalid', { key, found: word, known }, defined(keys.get(key)).span))
    return match
  }
  const count = (key: 'at-most' | 'at-least'): number | undefined => {
    const number = keys.number(key)
    if (number !== undefined && number < 1)
      report(problem('key-invalid', { key, expected: 'a whole number from 1', found: String(number) }, defined(keys.get(key)).span))
    return number
  }
  const atMost = count('at-most')
  const atLeast = count('at-least')
  if (atMost !== undefined && atLeast !== undefined && atLeast > atMost)
    report(problem('bounds-contradict', { least: `at-least: ${atLeast}`, most: `at-most: ${atMost}` }, keys.keySpan('at-least')))
  const cover = keys.text('cover')
  const known = fields.map((field) => field.name)
  if (cover !== undefined && !known.includes(cover))
    report(problem('field-unknown', { name: cover, of: 'the fields', known }, defined(keys.get('cover')).span))
  return {
    by:
      named(
        'by',
        STRATEGIES.map((strategy) => strategy.name),
      ) ?? 'all',
    atMost,
    atLeast,
    cover: cover !== undefined && known.includes(cover) ? cover : undefined,
    budget: readTokens(keys.get('budget'), report),
    order: named<Order>('order', ORDERS),
  }
}

function readCase(node: YamlNode, number: number, fields: readonly Declared[], report: Report): ExampleCase {
  if (node.kind !== 'map') {
    report(problem('key-invalid', { key: 'cases', expected: 'cases such as { note: …, grade: … }', found: node.kind }, node.span))
    return { number, values: {}, span: node.span }
  }
  for (const { key, keySpan } of node.entries())
    if (!fields.some((f) => f.name === key))
      report(problem('field-unknown', { name: key, of: `case ${number}`, known: fields.map((f) => f.name) }, keySpan))
  return { number, values: caseOf(node.data(), number, fields, node.span, report), span: node.span }
}

/** Plain data as a case's values; what does not fit is reported by field. */
export function caseOf(
  data: unknown,
  number: number,
  fields: readonly Declared[],
  span: ExampleCase['span'],
  report: Report,
): Record<string, unknown> {
  const values: Record<string, unknown> = {}
  for (const field of fields) {
    const problems: Problem[] = []
    values[field.name] = accept(own(data, field.name), field, topLevel(field.name), (p) => problems.push(p))
    const [first] = problems
    if (first) report(problem('case-invalid', { number, field: field.name, why: first.message.replace(/^"[^"]*" /, '') }, span))
  }
  return values
}
