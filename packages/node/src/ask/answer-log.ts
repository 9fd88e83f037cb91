import { createReadStream } from 'node:fs'
import { mkdir, open, type FileHandle } from 'node:fs/promises'
import { dirname } from 'node:path'
import type { ModelAnswer, Problem } from 'dunelight'
import { problem, defined } from 'dunelight/host'
import { append } from '../output/files.js'
import { LineWriter } from '../output/line-writer.js'
import { secrets } from '../output/secrets.js'
import { hashName, HashSet64 } from '../runs/hash-set.js'

/** An answer as it is kept: one line of JSON, never changed. */
export interface CachedAnswer extends ModelAnswer {
  /** SHA-256 over the question, its settings and its model. */
  readonly key: string
  readonly record: string
  readonly prompt: string
  readonly model: string
  readonly at: string
}

/**
 * Answers in an append-only file: JSON Lines. The position of each is in memory, by a hash of its key; the answers themselves
 * are not. Of several to the same question the last counts.
 */
export class AnswerLog {
  /** The number of each key, and where its answer begins: NaN for one that has none yet. */
  private readonly numbers = new HashSet64(true)
  private readonly starts: number[] = []
  private known = 0
  /** Up to here the positions are read from the file, not assumed. */
  private indexed = 0
  private indexing = Promise.resolve()
  /** Answers that are on their way to the disk. */
  private readonly unwritten = new Map<string, CachedAnswer>()
  private readonly writer: LineWriter

  private constructor(
    private readonly path: string,
    private readonly file: FileHandle,
    private end: number,
  ) {
    this.writer = new LineWriter((bytes) => append(file, bytes, path))
  }

  /** Opens it, or creates it. A line that a killed process left half written is skipped, with a notice. */
  static async open(path: string, notice?: (problem: Problem) => void): Promise<AnswerLog> {
    await mkdir(dirname(path), { recursive: true })
    const file = await open(path, 'a+')
    const log = new AnswerLog(path, file, 0)
    await log.index(0, notice)
    return log
  }

  get size(): number {
    return this.known
  }

  async get(key: string): Promise<CachedAnswer | undefined> {
    const start = this.startOf(key)
    if (start === undefined) return undefined
    return this.unwritten.get(key) ?? (await this.readAt(start, key)) ?? this.anew(key)
  }

  private async readAt(start: number, key: string): Promise<CachedAnswer | undefined> {
    try {
      const keptAnswer = JSON.parse(await this.lineAt(start)) as CachedAnswer
      return keptAnswer.key === key ? keptAnswer : undefined
    } catch {
      return undefined
    }
  }

  private async lineAt(start: number): Promise<string> {
    for (let length = USUAL_LINE; ; length *= 4) {
      const { buffer, bytesRead } = await this.file.read(Buffer.allocUnsafe(length), 0, length, start)
      const end = buffer.subarray(0, bytesRead).indexOf(10)
      if (end >= 0 || bytesRead < length) return buffer.toString('utf8', 0, end < 0 ? bytesRead : end)
    }
  }

  private startOf(key: string): number | undefined {
    const start = defined(this.starts[this.numberOf(key)])
    return Number.isNaN(start) ? undefined : start
  }

  private numberOf(key: string): number {
    const next = this.starts.length
    const number = this.numbers.add(...hashName(key), next) ?? next
    if (number === next) this.starts.push(NaN)
    return number
  }

  private place(key: string, start: number): void {
    const number = this.numberOf(key)
    if (Number.isNaN(this.starts[number])) this.known++
    this.starts[number] = start
  }

  /** Another process has added answers, and ours have other positions than expected: the positions are read from the file. */
  private async anew(key: string): Promise<CachedAnswer | undefined> {
    await this.writer.settled()
    await this.indexFrom(0)
    const start = this.startOf(key)
    return start === undefined ? undefined : this.readAt(start, key)
  }

  /** Adds an answer; when this returns it is on its way to the disk, even if the process ends. */
  add(answer: CachedAnswer): Promise<void> {
    const line = Buffer.from(secrets.redact(`${JSON.stringify(answer)}\n`))
    this.place(answer.key, this.end)
    this.end += line.length
    this.unwritten.set(answer.key, answer)
    return this.writer.add(line).finally(() => {
      if (this.unwritten.get(answer.key) === answer) this.unwritten.delete(answer.key)
    })
  }

  async close(): Promise<void> {
    await this.writer.settled()
    await this.file.close()
  }

  /** Finds answers that another process has added since. */
  async refresh(): Promise<void> {
    await this.writer.settled()
    if ((await this.file.stat()).size === this.end) return
    await this.indexFrom(this.indexed)
  }

  /** One at a time: several questions may look for answers of another process at once. */
  private indexFrom(start: number): Promise<void> {
    this.indexing = this.indexing.catch(() => undefined).then(() => this.index(start))
    return this.indexing
  }

  private async index(start: number, notice?: (problem: Problem) => void): Promise<void> {
    let rest: Buffer = Buffer.alloc(0)
    let line = 0
    let position = start
    const note = (bytes: Buffer) => {
      this.note(bytes, position, ++line, notice)
      position += bytes.length + 1
    }
    for await (const chunk of createReadStream(this.path, { start, highWaterMark: 1024 * 1024 })) {
      rest = rest.length === 0 ? (chunk as Buffer) : Buffer.concat([rest, chunk as Buffer])
      let from = 0
      for (let to = rest.indexOf(10); to >= 0; to = rest.indexOf(10, from)) {
        note(rest.subarray(from, to))
        from = to + 1
      }
      rest = rest.subarray(from)
    }
    if (rest.length > 0) {
      note(rest)
      // What comes next begins a line of its own.
      await this.file.write('\n')
    }
    this.indexed = position
    // Answers that were added meanwhile come after; a wrong guess is noticed when one is read.
    this.end = position + this.writer.waitingBytes
  }

  private note(bytes: Buffer, offset: number, line: number, notice?: (problem: Problem) => void): void {
    try {
      if (bytes.length > 0) this.place(keyAtBeginning(bytes) ?? (JSON.parse(bytes.toString('utf8')) as CachedAnswer).key, offset)
    } catch {
      notice?.(problem('answer-line-broken', { file: this.path, line }))
    }
  }
}

/** Most lines are no longer. */
const USUAL_LINE = 4096

const BEGINNING = '{"key":"'
/** The digits of a SHA-256. */
const DIGITS = 64

/** The key of a whole line as it is written here: this many lines are not read to their end. */
function keyAtBeginning(line: Buffer): string | undefined {
  const after = BEGINNING.length + DIGITS
  const whole = line.at(-1) === BRACE && line.indexOf(QUOTE, BEGINNING.length) === after
  return whole && line.toString('latin1', 0, BEGINNING.length) === BEGINNING ? line.toString('latin1', BEGINNING.length, after) : undefined
}
const [BRACE, QUOTE] = [0x7d, 0x22]
