import { ProblemError, type CheckedReply, type Form, type Problem, type Prompt } from 'dunelight'
import { cellText } from 'dunelight/parts'
import { contained, foldHeading, plainBatch, problem, type BatchRecord } from 'dunelight/host'
import { Misread } from '@dunelight/tables'
import { readTable, type TableSource } from '../sources/open-table.js'
import { readRecords } from '../sources/records.js'

/** The records that were asked for, and their replies. */
export interface AnswersOptions {
  readonly prompt: Prompt
  /** The table that was asked about. */
  readonly records: TableSource
  /** The replies, one a row: under `reply`, and under `record` the id of the record that it answers; without ids they follow the records. */
  readonly replies: TableSource
  readonly values?: Readonly<Record<string, unknown>>
  readonly locale?: string
  /** Refuses what could be read only by a repair. */
  readonly strict?: boolean
  readonly onHeading?: (problems: readonly Problem[]) => void
  readonly onProgress?: (bytesRead: number) => void
}

/** A record with its answer, or with what keeps it from having one. */
export interface AnsweredRecord {
  readonly row: number
  readonly id: string
  readonly cells: readonly unknown[]
  readonly text: string | undefined
  /** The form that the record's answer was asked for in. */
  readonly form: Form | undefined
  readonly reply: CheckedReply | undefined
  /** Errors of the record or of its reply: the record is rejected. */
  readonly problems: readonly Problem[]
}

export interface AnsweredChunk {
  readonly headings: readonly string[]
  readonly answers: readonly AnsweredRecord[]
}

/**
 * Joins replies with the records that they answer, and reads them. Of replies in the order of the records only a few are in memory at a time;
 * those that come early wait for their record.
 */
export class ReplyReader {
  private readonly replies: Replies

  constructor(private readonly options: Pick<AnswersOptions, 'replies' | 'strict' | 'locale'>) {
    this.replies = new Replies(options.replies)
  }

  /** @throws ProblemError if the table of replies cannot be read. */
  async read({ row, id, cells, prepared, problems }: BatchRecord): Promise<AnsweredRecord> {
    const { locale, strict = false } = this.options
    const text = await this.replies.take(id, row)
    const plain = { row, id, cells, text, form: undefined, reply: undefined }
    if (text === undefined) return { ...plain, problems: [problem('reply-missing', { record: id })] }
    if (!prepared) return { ...plain, problems }
    try {
      const rendering = contained(() => prepared.render({ record: id, ...(locale !== undefined && { locale }) }))
      const reply = contained(() => rendering.read(text, { strict }))
      return { ...plain, form: rendering.form, reply, problems: reply.problems }
    } catch (fault) {
      if (!(fault instanceof ProblemError)) throw fault
      return { ...plain, problems: fault.problems }
    }
  }

  /** At the end: replies that could not be read, and replies that no record wanted. */
  left(): Promise<readonly Problem[]> {
    return this.replies.left()
  }
}

/**
 * Reads replies next to the records that they answer, in the order of the records.
 *
 * @param options - The prompt, the records and the replies.
 * @returns Parts of the table with their answers; at the end, a problem for each reply without a record.
 * @throws ProblemError if a table cannot be read.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const data = 'demo/marram-house/data'
 * const parts = readAnswers({ prompt: library.prompt('survey/grade'), records: `${data}/objects.csv`, replies: `${data}/replies/grades.jsonl` })
 * const first = await parts.next()
 * first.value.answers.length > 0 // => true
 */
export async function* readAnswers(options: AnswersOptions): AsyncGenerator<AnsweredChunk, readonly Problem[]> {
  const { prompt, values, locale, onHeading, records: source } = options
  const reader = new ReplyReader(options)
  const batch = plainBatch(prompt, { ...(values && { values }), ...(locale !== undefined && { locale }) })
  for await (const { headings, records, bytesRead } of readRecords(batch, source, onHeading ? { onHeading } : {})) {
    const answers: AnsweredRecord[] = []
    for (const record of records) answers.push(await reader.read(record))
    yield { headings, answers }
    options.onProgress?.(bytesRead)
  }
  return reader.left()
}

const ID_NAMES = ['record', 'id', 'number', 'objectno', 'key', 'code']
const TEXT_NAMES = ['reply', 'answer', 'text']

interface SomeReplies {
  /** Whether they name the records that they answer; else they are in the records' order. */
  readonly named: boolean
  readonly replies: readonly (readonly [id: string, text: string])[]
}

/** Replies by record, read as far as they are asked for. */
class Replies {
  private readonly waiting = new Map<string, string[]>()
  private readonly taken = new Set<string>()
  private readonly source: AsyncGenerator<SomeReplies, undefined>
  private begun = false
  private named = true
  private ended = false
  private readonly unread: Problem[] = []

  constructor(source: TableSource) {
    this.source = readReplies(source, (p) => this.unread.push(p))
  }

  async take(record: string, row: number): Promise<string | undefined> {
    // Whether they name their records is known with the first of them.
    if (!this.begun) await this.pull()
    const id = this.named ? record : String(row)
    while (!this.waiting.has(id) && !this.ended) await this.pull()
    const [first, ...more] = this.waiting.get(id) ?? []
    if (first === undefined) return undefined
    this.taken.add(id)
    if (more.length > 0) this.waiting.set(id, more)
    else this.waiting.delete(id)
    return first
  }

  private async pull(): Promise<void> {
    this.begun = true
    const next: IteratorResult<SomeReplies, undefined> = await this.source.next()
    this.ended = next.done === true
    if (next.done) return
    this.named = next.value.named
    for (const [record, text] of next.value.replies) this.keep(record, text)
  }

  private keep(record: string, text: string): void {
    const waiting = this.waiting.get(record)
    if (waiting) waiting.push(text)
    else this.waiting.set(record, [text])
  }

  /** What could not be read, and what no record wanted. */
  async left(): Promise<Problem[]> {
    while (!this.ended) await this.pull()
    const strays = [...this.waiting.keys()].map((record) =>
      this.taken.has(record) ? problem('reply-duplicate', { record }) : problem('reply-row-unknown', { record }),
    )
    return [...this.unread, ...strays]
  }
}

async function* readReplies(source: TableSource, unread: (problem: Problem) => void): AsyncGenerator<SomeReplies, undefined> {
  let row = 0
  for await (const { headings, rows } of readTable(source)) {
    const folded = headings.map(foldHeading)
    const find = (names: readonly string[]) => names.map((name) => folded.indexOf(name)).find((position) => position >= 0) ?? -1
    const text = find(TEXT_NAMES)
    const id = find(ID_NAMES)
    if (text < 0) throw new ProblemError([problem('heading-missing', { variable: 'reply', known: headings })])
    const replies = rows.flatMap((cells) => {
      row++
      if (cells instanceof Misread) {
        unread(cells.problem)
        return []
      }
      return [[id < 0 ? String(row) : cellText(cells[id]).trim(), cellText(cells[text])] as const]
    })
    yield { named: id >= 0, replies }
  }
}
