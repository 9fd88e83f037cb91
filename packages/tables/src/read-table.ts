import { csvTable } from './csv.js'
import type { Bytes, DecodeOptions } from './decode.js'
import { jsonLines } from './json-lines.js'
import { jsonList } from './json.js'
import { yamlList } from './yaml.js'
import { recordsTable } from './records.js'
import type { ListItems, TableRows } from './table.js'

/** Formats of text that a table or list can have, by the endings of their files. */
export const TEXT_FORMATS = {
  csv: ['csv', 'txt'],
  tsv: ['tsv', 'tab'],
  jsonl: ['jsonl', 'ndjson'],
  json: ['json'],
  yaml: ['yaml', 'yml'],
} as const
export type TextFormat = keyof typeof TEXT_FORMATS
export type ListFormat = Exclude<TextFormat, 'csv' | 'tsv'>

/** The format that a file's ending speaks of. */
export function textFormatOf(name: string): TextFormat | undefined {
  const ending = /\.(\w+)$/.exec(name)?.[1]?.toLowerCase() ?? ''
  return (Object.keys(TEXT_FORMATS) as TextFormat[]).find((format) => (TEXT_FORMATS[format] as readonly string[]).includes(ending))
}

export interface TextTableOptions extends DecodeOptions {
  /** Headings of a list of records that are known before it is read. */
  readonly known?: readonly string[]
}

/**
 * Reads a table of text as it arrives: from a file's stream in Node, from a dropped file's in the browser. Only a list in YAML is kept in memory whole.
 *
 * @example
 * const parts = []
 * for await (const part of readTextTable(new Blob(['Title;Made\nlamp;1890']).stream(), 'csv', { name: 'lamps' })) parts.push(part)
 * parts.flatMap(({ rows }) => rows) // => [['lamp', '1890']]
 * @throws ProblemError where it cannot be read.
 */
export function readTextTable(source: Bytes, format: TextFormat, options: TextTableOptions): AsyncGenerator<TableRows> {
  if (format === 'csv' || format === 'tsv') return csvTable(source, options)
  return recordsTable(readTextList(source, format, { ...options, of: 'records' }), options.name, options)
}

/** Plain data one after another; `of` names the expected content in an error. */
export function readTextList(
  source: Bytes,
  format: ListFormat,
  options: DecodeOptions & { readonly of: string },
): AsyncGenerator<ListItems> {
  if (format === 'jsonl') return jsonLines(source, options)
  return format === 'json' ? jsonList(source, options) : yamlList(source, options)
}
