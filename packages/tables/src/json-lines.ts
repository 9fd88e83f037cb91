import { ProblemError, type Problem } from 'dunelight'
import { isDeeper, parseJson, problem } from 'dunelight/host'
import { decoded, type Bytes, type DecodeOptions, type TextChunk } from './decode.js'
import { Misread } from './misread.js'
import { DEEPEST } from './records.js'
import { RowScanner, type ScanOptions } from './scan.js'
import type { ListItems } from './table.js'

/**
 * JSON Lines: one item a line, empty lines skipped. A line that cannot be read is a `Misread`, and the lines after it are read.
 *
 * @throws ProblemError if the bytes are no text, or a line is longer than any record is.
 */
export async function* jsonLines(source: Bytes, options: DecodeOptions): AsyncGenerator<ListItems> {
  const lines = new JsonLines(options)
  let bytesRead = 0
  for await (const chunk of decoded(source, options)) {
    bytesRead = chunk.bytesRead
    yield { items: lines.add(chunk), bytesRead }
    if (lines.problem) throw new ProblemError([lines.problem])
  }
  const last = lines.end()
  if (last.length > 0) yield { items: last, bytesRead }
}

/** The items of lines that come in pieces. */
export class JsonLines {
  private readonly scanner: RowScanner
  private rest = ''
  private decodePiece: TextChunk['decodePiece']

  constructor(options: ScanOptions) {
    this.scanner = new RowScanner(undefined, options)
  }

  /** Why the lines cannot be read any further. */
  get problem(): Problem | undefined {
    return this.scanner.problem
  }

  /** The items whose lines end in this piece. */
  add({ text, decodePiece }: Pick<TextChunk, 'text' | 'decodePiece'>): readonly unknown[] {
    this.rest += text
    this.decodePiece = decodePiece
    return this.scan(false)
  }

  /** The item of the line that no line end has ended. */
  end(): readonly unknown[] {
    return this.scan(true)
  }

  private scan(last: boolean): readonly unknown[] {
    const { scanner, decodePiece } = this
    const text = this.rest
    const items: unknown[] = []
    const start = scanner.scan(text, last, (from, to) => {
      const line = text.slice(from, to)
      items.push(itemOf(decodePiece ? decodePiece(line) : line, scanner.lines))
    })
    this.rest = text.slice(start)
    return items
  }
}

function itemOf(text: string, line: number): unknown {
  try {
    const item = parseJson(text)
    if (isDeeper(item, DEEPEST)) return new Misread(problem('row-too-deep', { row: line, limit: DEEPEST }), text)
    return item
  } catch (fault) {
    return new Misread(problem('line-unreadable', { line, why: faultOf(fault, text) }), text)
  }
}

/** The engine's message about a line, without the part of the line that it repeats. */
function faultOf(fault: unknown, text: string): string {
  if (!text.trimStart().startsWith('{')) return 'it does not start with {'
  const message = fault instanceof Error ? fault.message : ''
  if (/end of JSON|Unterminated|end of data/i.test(message)) return 'it ends before it is closed'
  const place = /position (\d+)/.exec(message)?.[1]
  return place === undefined ? 'unexpected character' : `unexpected character at column ${Number(place) + 1}`
}
