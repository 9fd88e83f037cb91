import type { ExampleCase, ExampleSetModel } from './artefacts.js'
import { Keys } from './keys.js'
import { leavesLibrary } from './paths.js'
import { ArtefactReader, type Reading } from './reading.js'
import { readDeclarations } from './variables.js'
import { problem, type Problem, type Report } from '../problems/problem.js'
import { Source } from '../source/source.js'
import type { YamlNode } from '../source/yaml.js'
import { parseText } from '../text/parse.js'
import { accept, topLevel } from '../values/accept.js'
import { own } from '../values/data.js'
import type { Declared } from '../values/types.js'

/** examples/*.yaml */
export function readExampleSet(reading: Reading): ExampleSetModel {
  const reader = new ArtefactReader(reading, 'an example set', {
    title: 'text',
    about: 'text',
    fields: 'map',
    ask: 'text',
    answer: 'text',
    cases: 'list',
    from: 'text',
    pick: 'map',
  })
  const { keys, report } = reader
  const fieldsNode = keys.required('fields')
  const fields = fieldsNode ? readDeclarations(fieldsNode, 'field', report) : []
  const from = keys.get('from')
  if (from && leavesLibrary(reading.file.name, from.string ?? '')) report(problem('path-outside', { path: from.string ?? '' }, from.span))
  else reader.notYet(['from'])
  checkPick(keys.get('pick'), report)
  keys.required('ask')
  keys.required('answer')
  const empty = parseText(new Source(reading.file.name, ''), report)
  return {
    kind: 'example set',
    ...reader.artefact,
    title: keys.text('title'),
    fields,
    ask: reader.textAt('ask') ?? empty,
    answer: reader.textAt('answer') ?? empty,
    cases: (keys.get('cases')?.items() ?? []).map((node, i) => readCase(node, i + 1, fields, report)),
  }
}

const PICK_KEYS = { by: 'text', 'at-most': 'integer', 'at-least': 'integer', cover: 'text', budget: 'text' } as const

/** Every case is written, in order: what else `pick` may say is not read in this version, and is said to be so. */
function checkPick(node: YamlNode | undefined, report: Report): void {
  if (!node) return
  const keys = new Keys<keyof typeof PICK_KEYS>(node, 'pick', PICK_KEYS, report)
  const by = keys.text('by')
  if (by !== undefined && by !== 'all') report(problem('not-here-yet', { what: `picking by "${by}"` }, keys.keySpan('by')))
  for (const key of ['at-most', 'at-least', 'cover', 'budget'] as const)
    if (keys.has(key)) report(problem('not-here-yet', { what: `"${key}"` }, keys.keySpan(key)))
}

function readCase(node: YamlNode, number: number, fields: readonly Declared[], report: Report): ExampleCase {
  if (node.kind !== 'map') {
    report(problem('key-unfit', { key: 'cases', expected: 'cases such as { note: …, grade: … }', found: node.kind }, node.span))
    return { number, values: {}, span: node.span }
  }
  const data = node.data()
  for (const { key, keySpan } of node.entries())
    if (!fields.some((f) => f.name === key))
      report(problem('field-unknown', { name: key, of: `case ${number}`, known: fields.map((f) => f.name) }, keySpan))
  const values: Record<string, unknown> = {}
  for (const field of fields) {
    const found: Problem[] = []
    values[field.name] = accept(own(data, field.name), field, topLevel(field.name), (p) => found.push(p))
    const [first] = found
    if (first) report(problem('case-unfit', { number, field: field.name, why: first.message.replace(/^"[^"]*" /, '') }, node.span))
  }
  return { number, values, span: node.span }
}
