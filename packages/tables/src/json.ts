import { JSONParser } from '@streamparser/json'
import { exactNumber, defined } from 'dunelight/host'
import { decoded, type Bytes, type DecodeOptions } from './decode.js'
import { unreadable } from './misread.js'
import type { ListItems } from './table.js'

/** How many items are passed on at a time. */
const SOME = 512

/**
 * A JSON list, an item at a time: the list is never in memory as a whole.
 *
 * @throws ProblemError where it is no JSON list.
 */
export async function* jsonList(source: Bytes, options: DecodeOptions & { readonly of: string }): AsyncGenerator<ListItems> {
  const { name, of } = options
  let items: unknown[] = []
  let bytesRead = 0
  let begun = false
  let count = 0
  const parser = new JSONParser({ paths: ['$.*'], keepStack: false })
  const faults: string[] = []
  keepDigits(parser)
  parser.onValue = ({ value }) => void items.push(value)
  parser.onError = (fault) => void faults.push(fault.message)
  for await (const { text, decodePiece, bytesRead: far } of decoded(source, options)) {
    bytesRead = far
    if (!begun && text.trim() !== '') {
      begun = true
      if (!text.trimStart().startsWith('[')) unreadable(name, `it has no list of ${of}`)
    }
    if (!parser.isEnded) parser.write(decodePiece ? decodePiece(text) : text)
    else if (text.trim() !== '') unreadable(name, 'there is text after the list')
    if (faults.length > 0) unreadable(name, plain(defined(faults[0]), count + items.length))
    if (items.length >= SOME) {
      count += items.length
      yield { items, bytesRead }
      items = []
    }
  }
  if (!begun) return
  if (!parser.isEnded) unreadable(name, 'its list is never closed')
  if (items.length > 0) yield { items, bytesRead }
}

/** Numbers beyond what a double holds keep their digits. */
function keepDigits(parser: JSONParser): void {
  const { tokenizer } = parser as unknown as { tokenizer: { parseNumber: (text: string) => number | string } }
  tokenizer.parseNumber = exactNumber
}

/** The parser's fault in our words. */
function plain(message: string, items: number): string {
  if (message.includes('in state ENDED')) return 'there is text after the list'
  const character = /Unexpected (?:[A-Z_]+ \()?"(.+?)"/.exec(message)?.[1]
  return `it is not valid JSON: unexpected ${character === undefined ? 'character' : JSON.stringify(character)} after item ${items}`
}
