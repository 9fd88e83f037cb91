import { readCell, type Declared, type ValueType } from 'dunelight/parts'
import { isDeeper, parseJson } from 'dunelight/host'
import { ServiceFault } from '../faults/fault.js'

/** Levels of nesting that an argument may have. */
const DEEPEST = 100

/**
 * Values of the arguments of a prompt, which are texts: each is read like a cell of a table, lists and records as JSON too.
 *
 * @throws ServiceFault for an unknown argument, and for one that does not fit its type.
 */
export function valuesIn(
  args: Readonly<Record<string, string>>,
  declared: readonly Declared[],
  locale: string | undefined,
): Record<string, unknown> {
  const byName = new Map(declared.map((variable) => [variable.name, variable]))
  const values: [string, unknown][] = Object.entries(args).map(([name, text]) => {
    const variable = byName.get(name)
    if (!variable) throw new ServiceFault('values-invalid', `unknown argument "${name}"; arguments: ${[...byName.keys()].join(', ')}`)
    return [name, valueOf(name, text, variable.type, locale)]
  })
  return Object.fromEntries(values.filter(([, value]) => value !== null))
}

function valueOf(name: string, text: string, type: ValueType, locale: string | undefined): unknown {
  if (type.kind === 'list' && text.trimStart().startsWith('[')) return jsonOf(name, text)
  // A text is taken as it is, with its spaces.
  if (type.kind === 'text') return text
  let refused: string | undefined
  const value = readCell(text, type, locale, (expected) => (refused = expected))
  if (refused !== undefined) throw new ServiceFault('values-invalid', `"${name}" must be ${refused}`)
  return value
}

function jsonOf(name: string, text: string): unknown {
  try {
    const value = parseJson(text)
    if (!isDeeper(value, DEEPEST)) return value
  } catch {
    // Said below.
  }
  throw new ServiceFault('values-invalid', `"${name}" must be a list, as JSON or divided by semicolons`)
}
