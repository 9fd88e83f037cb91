import { readFile } from 'node:fs/promises'
import { appendTo } from '../output/files.js'

/** What a person decided of a record, or of a part of it (`L-7:heading`), or an answer that was asked for since: one line of JSON each, never changed. */
export type ReviewLine = { readonly record: string; readonly row: number; readonly at: string } & (
  | {
      readonly does: 'accept'
      readonly answer: number
      /** For a part of an assembly: the accepted text, and the fingerprint of what the part was asked with. */
      readonly text?: string
      readonly inputs?: string
    }
  | { readonly does: 'discard' }
  | {
      readonly does: 'add'
      readonly text: string
      readonly model: string
      readonly part?: string
      readonly of?: number
      readonly isMock?: true
      /** Written by a person: the model is empty. */
      readonly byHand?: true
    }
)

/** The file of the decisions, in the run's folder. */
export const REVIEW_FILE = 'review.jsonl'

/** The decisions about a run, in its folder. What a process that was killed left half written is passed over. */
export class ReviewLog {
  private constructor(
    private readonly path: string,
    private readonly lines: Map<string, ReviewLine[]>,
    /** Whether the last line is whole. */
    private whole: boolean,
  ) {}

  static async open(path: string): Promise<ReviewLog> {
    const text = await readFile(path, 'utf8').catch(() => '')
    const lines = new Map<string, ReviewLine[]>()
    for (const item of text.split('\n')) {
      const line = parsed(item)
      if (line) listOf(lines, line.record).push(line)
    }
    return new ReviewLog(path, lines, text === '' || text.endsWith('\n'))
  }

  of(record: string): readonly ReviewLine[] {
    return this.lines.get(record) ?? []
  }

  /** Written before it counts. */
  async add(line: ReviewLine): Promise<void> {
    await appendTo(this.path, `${this.whole ? '' : '\n'}${JSON.stringify(line)}\n`)
    this.whole = true
    listOf(this.lines, line.record).push(line)
  }
}

function listOf(lines: Map<string, ReviewLine[]>, record: string): ReviewLine[] {
  let list = lines.get(record)
  if (!list) lines.set(record, (list = []))
  return list
}

function parsed(line: string): ReviewLine | undefined {
  if (line === '') return undefined
  try {
    return JSON.parse(line) as ReviewLine
  } catch {
    return undefined
  }
}
