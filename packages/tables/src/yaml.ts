import { exactNumber, defined } from 'dunelight/host'
import { parse } from 'yaml'
import { decoded, type Bytes, type DecodeOptions } from './decode.js'
import { unreadable } from './misread.js'
import type { ListItems } from './table.js'

/** A YAML list, which cannot be read in pieces. */
const LARGEST_YAML = 64 * 1024 * 1024

/** @throws ProblemError where it is no YAML list. */
export async function* yamlList(source: Bytes, options: DecodeOptions & { readonly of: string }): AsyncGenerator<ListItems> {
  const { name, of } = options
  let text = ''
  let bytesRead = 0
  for await (const stretch of decoded(source, options)) {
    text += stretch.decodePiece ? stretch.decodePiece(stretch.text) : stretch.text
    bytesRead = stretch.bytesRead
    if (bytesRead > LARGEST_YAML) unreadable(name, 'a list in YAML is held whole, and this one is too large; save it as JSON Lines')
  }
  let data: unknown
  try {
    data = parse(text, (_, value: unknown) => (typeof value === 'bigint' ? exactNumber(String(value)) : value), { intAsBigInt: true })
  } catch (fault) {
    unreadable(name, fault instanceof Error ? defined(fault.message.split('\n')[0]) : String(fault))
  }
  if (data === null || data === undefined) return
  if (!Array.isArray(data)) unreadable(name, `it has no list of ${of}`)
  yield { items: data, bytesRead }
}
