import type { Library, Problem } from 'dunelight'
import type { Declared, ValueType } from 'dunelight/parts'
import { isFreeText, problem } from 'dunelight/host'

/** Why a prompt must not be served: callers would supply free text that nothing fences. Undefined if it may be served. */
export function openTextOf(library: Library, name: string): Problem | undefined {
  if (library.artefacts.prompts.get(name)?.isTrusted) return undefined
  const paths = openPaths(library.prompt(name).variables, '')
  return paths.length > 0 ? problem('text-trusted', { name, paths }) : undefined
}

function openPaths(declared: readonly Declared[], before: string): string[] {
  return declared.flatMap(({ name, type, untrusted }) => {
    if (untrusted || !isFreeText(type)) return []
    const fields = fieldsOf(type)
    return fields ? openPaths(fields, `${before}${name}.`) : [`${before}${name}`]
  })
}

function fieldsOf(type: ValueType): readonly Declared[] | undefined {
  if (type.kind === 'list') return fieldsOf(type.item)
  return type.kind === 'record' || type.kind === 'table' ? type.fields : undefined
}
