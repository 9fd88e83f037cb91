import { problem, ProblemError, readCell, type Declared, type Problem, type Prompt } from 'dunelight'
import { WrongUse } from './surroundings.js'

/** The values of `--set name=value`, read like a table's cells; `item.title=Lamp` sets a field of a record. */
export function readSet(prompt: Prompt, set: readonly string[] = [], locale?: string): Record<string, unknown> {
  const values: Record<string, unknown> = {}
  const problems: Problem[] = []
  for (const one of set) {
    const at = one.indexOf('=')
    if (at < 1) throw new WrongUse(`--set takes name=value, not "${one}"`)
    const path = one.slice(0, at).trim()
    const [name, field] = split(path)
    const declared = prompt.variables.find((d) => d.name === name)
    const target = declared && (field === undefined ? declared : fieldOf(declared, field, problems))
    if (!declared) problems.push(problem('value-undeclared', { name, known: prompt.variables.map((d) => d.name) }))
    if (!target) continue
    const cell = one.slice(at + 1).replace(/\\n/g, '\n')
    const value = readCell(cell, target.type, locale, (expected) =>
      problems.push(problem('value-unfit', { path, expected, found: `"${cell}"` })),
    )
    if (field === undefined) values[name] = value
    else values[name] = { ...(values[name] as object | undefined), [field]: value }
  }
  if (problems.length > 0) throw new ProblemError(problems)
  return values
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
