import { defined } from '../invariant.js'
import type { Library } from '../library/library.js'
import type { OutputModel } from '../artefacts/artefacts.js'
import { passagesIn } from '../text/passages.js'
import type { Text } from '../text/nodes.js'
import type { Declared, ValueType } from '../values/types.js'

/** Who takes the type: a caller that hands values over, or a program that reads a reply. */
type Side = 'given' | 'read'

/**
 * Prints the types of a library's prompts as a declaration file: the values that each takes and the answers that it gives.
 * Prompts with errors are left out.
 *
 * @param typed - The library.
 * @returns The text of a `.d.ts` file.
 * @example
 * printTypes(libraryFrom({ 'prompts/hello.yaml': 'title: Hello\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]' })).includes('readonly who: string') // => true
 */
export function printTypes<P extends object>(typed: Library<P>): string {
  const library = typed as unknown as Library
  const sound = library.promptNames().filter((name) => library.isSound(name))
  const prompts = sound.map((name) => printPrompt(library, name))
  const body = prompts.join('\n')
  const imports = ['FileValue', 'FinishedDocument', 'HistoryEntry'].filter((name) => new RegExp(`\\b${name}\\b`).test(body))
  return [
    '// Made by "dunelight types". Do not edit: it is made anew whenever the library changes.',
    ...(imports.length > 0 ? [`import type { ${imports.join(', ')} } from 'dunelight'`] : []),
    '',
    `${doc(library.title === undefined ? 'The prompts of the library' : `The prompts of ${library.title}`, '')}export interface Prompts {`,
    body,
    '}',
    '',
  ].join('\n')
}

function printPrompt(library: Library, name: string): string {
  const prompt = library.prompt(name)
  const outputs = prompt.outputs.map((output) => printReply(defined(library.outputs.get(output))))
  const values = prompt.variables.length === 0 ? 'Readonly<Record<string, never>>' : printFields(prompt.variables, 'given', '    ')
  return [
    `${doc(prompt.title, '  ')}  ${key(name)}: {`,
    `    readonly values: ${values}`,
    `    readonly reply: ${outputs.length === 0 ? 'string' : [...new Set(outputs)].join(' | ')}`,
    '  }',
  ].join('\n')
}

function printReply(output: OutputModel): string {
  switch (output.form) {
    case 'fields':
      return printFields(output.fields, 'read', '    ')
    case 'one-of':
      return options(output.of)
    case 'rows':
      return listOf(printPassages(output.row))
    case 'document':
      return `FinishedDocument<${printPassages(output.text)}>`
  }
}

function printPassages(text: Text | undefined): string {
  const lines = (text ? passagesIn(text) : []).map(
    ({ name, type }) => `      readonly ${key(name)}: ${type === 'integer' || type === 'number' ? 'number' : 'string'}`,
  )
  return `{\n${[...new Set(lines)].join('\n')}\n    }`
}

function printFields(fields: readonly Declared[], side: Side, indent: string): string {
  const lines = fields.map((field) => {
    const { name, type, optional, about } = field
    const missable = optional || field.default !== undefined
    const written = printType(type, side, `${indent}  `)
    return `${about === undefined ? '' : doc(about, `${indent}  `)}${indent}  readonly ${key(name)}${missable ? '?' : ''}: ${written}${missable ? ' | null' : ''}${missable && side === 'given' ? ' | undefined' : ''}`
  })
  return `{\n${lines.join('\n')}\n${indent}}`
}

function printType(type: ValueType, side: Side, indent: string): string {
  switch (type.kind) {
    case 'text':
      return 'string'
    case 'integer':
    case 'number':
      return side === 'given' ? 'number | bigint' : 'number'
    case 'boolean':
      return 'boolean'
    case 'date':
    case 'date-time':
      return side === 'given' ? 'string | Date' : 'string'
    case 'choice':
      return options(type.of)
    case 'list':
      return listOf(printType(type.item, side, indent))
    case 'record':
      return type.fields ? printFields(type.fields, side, indent) : 'Readonly<Record<string, unknown>>'
    case 'table':
      return listOf(type.fields ? printFields(type.fields, side, indent) : 'Readonly<Record<string, unknown>>')
    case 'file':
      return 'FileValue | `data:${string}`'
    case 'turns':
      return 'readonly HistoryEntry[]'
    case 'any':
      return 'unknown'
  }
}

function listOf(item: string): string {
  return /^[\w<>, ]+$/.test(item) || item.startsWith('{') ? `readonly ${item}[]` : `readonly (${item})[]`
}

function options(of: readonly string[]): string {
  return of.length === 0 ? 'never' : of.map(quoted).join(' | ')
}

function key(name: string): string {
  return /^[A-Za-z_]\w*$/.test(name) ? name : quoted(name)
}

function quoted(text: string): string {
  return `'${text.replace(/[\\']/g, '\\$&').replace(/\n/g, '\\n')}'`
}

/** A comment above a declaration; it cannot be ended from within. */
function doc(text: string, indent: string): string {
  return `${indent}/** ${text.trim().replace(/\*\//g, '*\\/').replace(/\s+/g, ' ')} */\n`
}
