import { ProblemError, type Problem, type Prompt } from 'dunelight'
import { readCell, type Declared, type ValueType } from 'dunelight/parts'
import { problem } from 'dunelight/host'
import { readFileValue } from '@dunelight/node'
import { WrongUse } from '../ui/context.js'

/**
 * The values of `--set name=value`, read like a table's cells; `item.title=Lamp` sets a field of a record, and a file is named by its path.
 */
export async function readSet(
  prompt: Prompt,
  set: readonly string[] = [],
  { locale, limit }: { readonly locale?: string | undefined; readonly limit: number },
): Promise<Record<string, unknown>> {
  const values: Record<string, unknown> = {}
  const problems: Problem[] = []
  for (const text of set) {
    const position = text.indexOf('=')
    if (position < 1) throw new WrongUse(`--set needs name=value, not "${text}"`)
    const path = text.slice(0, position).trim()
    const [name, field] = split(path)
    const declared = prompt.variables.find((d) => d.name === name)
    const target = declared && (field === undefined ? declared : fieldOf(declared, field, problems))
    if (!declared) problems.push(problem('value-undeclared', { name, known: prompt.variables.map((d) => d.name) }))
    if (!target) continue
    const cell = text.slice(position + 1)
    const value = namesFiles(target.type, cell)
      ? await readFiles(target.type, cell, limit)
      : readCell(cell, target.type, locale, (expected) => problems.push(problem('value-invalid', { path, expected, found: `"${cell}"` })))
    if (field === undefined) values[name] = value
    else values[name] = { ...(values[name] as object | undefined), [field]: value }
  }
  if (problems.length > 0) throw new ProblemError([...problems, ...problemsOfOthers(prompt, values)])
  return values
}

/** What is wrong with the values that could be read, so that all wrong values are reported together. */
function problemsOfOthers(prompt: Prompt, values: Record<string, unknown>): readonly Problem[] {
  try {
    prompt.prepare(values)
    return []
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    // The values that could not be read are missing here, and are reported already.
    return fault.problems.filter(({ code }) => code !== 'value-missing')
  }
}

function namesFiles(type: ValueType, cell: string): boolean {
  return (type.kind === 'file' || (type.kind === 'list' && type.item.kind === 'file')) && !/^\s*(?:data:|[{[])/.test(cell)
}

function readFiles(type: ValueType, cell: string, limit: number): Promise<unknown> {
  if (type.kind !== 'list') return readFileValue(cell.trim(), { limit })
  const paths = cell.split(type.splits ?? ';').map((path) => path.trim())
  return Promise.all(paths.filter((path) => path !== '').map((path) => readFileValue(path, { limit })))
}

function split(path: string): [string, string | undefined] {
  const point = path.indexOf('.')
  return point < 0 ? [path, undefined] : [path.slice(0, point), path.slice(point + 1)]
}

function fieldOf(declared: Declared, name: string, problems: Problem[]): Declared | undefined {
  const fields = declared.type.kind === 'record' ? declared.type.fields : undefined
  const field = fields?.find((f) => f.name === name)
  if (!field && fields) problems.push(problem('field-unknown', { name, of: declared.name, known: fields.map((f) => f.name) }))
  else if (!field) throw new WrongUse(`"${declared.name}" has no fields to set`, `write --set '${declared.name}={"${name}": …}'`)
  return field
}
