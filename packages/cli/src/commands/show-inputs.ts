import { describe, type Declared } from 'dunelight/parts'

/** A variable and its fields: name, type, other properties. */
export function inputRows(d: Declared, indent: string): string[][] {
  const notes = [
    d.default !== undefined ? `default ${JSON.stringify(d.default)}` : d.optional ? 'optional' : '',
    d.untrusted ? 'untrusted' : '',
    d.about ?? '',
    d.question === undefined ? '' : `asks "${d.question}"`,
  ].filter((n) => n !== '')
  const item = d.type.kind === 'list' ? d.type.item : d.type
  const fields = item.kind === 'record' || item.kind === 'table' ? (item.fields ?? []) : []
  return [[indent + d.name, describe(d.type), notes.join(' · ')], ...fields.flatMap((f) => inputRows(f, `${indent}  `))]
}
