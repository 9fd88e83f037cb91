import { defined } from '../invariant.js'
import { Source } from '../source/source.js'
import type { Text } from '../text/nodes.js'
import { parseText } from '../text/parse.js'
import { tokensOf } from '../text/tokens.js'
import { isName } from '../values/names.js'
import type { Declared } from '../values/types.js'

/** The ask side of a set that brings no layout: the fields that its answer does not write, each under its name where there are several. */
export function standardInput(fields: readonly Declared[], answer: Text | 'output' | undefined): Text {
  const asked = answer === undefined || answer === 'output' ? fields.slice(0, -1) : without(fields, answer)
  const lines = asked
    .filter((field) => isName(field.name))
    .map((field) => (field.untrusted ? `{${field.name} as fenced}` : asked.length === 1 ? `{${field.name}}` : labelled(field)))
  return standard(lines)
}

/** The answer side of a set that brings no layout: what is not asked, each field on a line behind its name. */
export function standardExpected(fields: readonly Declared[], ask: Text | undefined): Text {
  const answered = ask === undefined ? fields.slice(-1) : without(fields, ask)
  return standard(answered.filter((field) => isName(field.name)).map(labelled))
}

function standard(lines: readonly string[]): Text {
  return parseText(new Source('the standard layout of example sets', lines.join('\n')), () => undefined)
}

function labelled({ name, optional }: Declared): string {
  const words = name.replace(/[-_]+/g, ' ')
  const line = `${words.charAt(0).toUpperCase()}${words.slice(1)}: {${name}}`
  return optional ? `{when ${name}}${line}{end}` : line
}

function without(fields: readonly Declared[], text: Text): Declared[] {
  const used = fieldsIn(text)
  return fields.filter((field) => !used.has(field.name))
}

/** The names with which a text's paths begin. */
export function fieldsIn(text: Text): ReadonlySet<string> {
  const variables = tokensOf(text).filter((token) => token.kind === 'variable')
  return new Set(variables.map(({ span }) => defined(text.source.text.slice(span.start, span.end).split('.')[0]).trim()))
}
