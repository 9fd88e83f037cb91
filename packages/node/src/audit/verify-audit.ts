import { readFile, realpath } from 'node:fs/promises'
import { ProblemError, type Problem } from 'dunelight'
import { problem } from 'dunelight/host'
import { reason } from '../output/reason.js'
import { AuditKey } from './audit-key.js'
import { lineHash } from './audit-line.js'
import { readCheckpoint, type Checkpoint } from './checkpoints.js'
import { linesOf, writersOf, type PlacedLine } from './read-audit.js'

/** How an audit is verified. */
export interface VerifyOptions {
  /** The id of the library. */
  readonly library: string | undefined
  /** The file with the checkpoints. */
  readonly checkpoints?: string
}

/** What verifying an audit found. */
export interface AuditVerdict {
  readonly writers: number
  readonly lines: number
  readonly checkpoints: number
  /** Lines after the last checkpoint of their writer: nothing could tell if they were lost. */
  readonly uncovered: number
  readonly problems: readonly Problem[]
}

/**
 * Verifies an audit: each line has the hash of the line before, and the checkpoints have the hashes of some of them.
 *
 * @param folder - The library's folder.
 * @param options - The checkpoints.
 * @returns How many lines there are, how many of them no checkpoint covers, and what was changed, moved or removed.
 * @throws ProblemError if the checkpoints cannot be read, or the environment has no key for them.
 * @example
 * (await verifyAudit('demo/marram-house', { library: undefined })).problems // => []
 */
export async function verifyAudit(folder: string, { library, checkpoints: path }: VerifyOptions): Promise<AuditVerdict> {
  const root = await realpath(folder)
  const problems: Problem[] = []
  const checkpoints = path === undefined ? [] : await readCheckpoints(path, library, problems)
  const byWriter = new Map<string, Checkpoint[]>()
  for (const checkpoint of checkpoints) byWriter.set(checkpoint.writer, [...(byWriter.get(checkpoint.writer) ?? []), checkpoint])
  const writers = await writersOf(root)
  let [lines, uncovered] = [0, 0]
  for (const [writer, files] of writers) {
    const chain = new Chain(writer, byWriter.get(writer) ?? [], problems)
    for (const file of files) for await (const placed of linesOf(root, file, writer)) chain.next(placed)
    chain.end()
    lines += chain.lines
    uncovered += chain.uncovered
  }
  for (const [writer, its] of byWriter)
    if (!writers.has(writer))
      problems.push(problem('audit-lines-missing', { writer, first: 1, last: Math.max(...its.map(({ seq }) => seq)) }))
  return { writers: writers.size, lines, checkpoints: checkpoints.length, uncovered, problems }
}

/** Follows the chain of one writer. */
class Chain {
  lines = 0
  private seq = 0
  private hash: string | null = null
  private time = ''
  private torn: { readonly hash: string; readonly place: PlacedLine } | undefined
  private readonly wanted: Map<number, Checkpoint>
  private readonly covered: number

  constructor(
    private readonly writer: string,
    checkpoints: readonly Checkpoint[],
    private readonly problems: Problem[],
  ) {
    this.wanted = new Map(checkpoints.map((checkpoint) => [checkpoint.seq, checkpoint]))
    this.covered = Math.max(0, ...checkpoints.map(({ seq }) => seq))
  }

  get uncovered(): number {
    return Math.max(0, this.seq - this.covered)
  }

  next(placed: PlacedLine): void {
    const { file, number, text, line } = placed
    const altered = (why: string) => this.problems.push(problem('audit-line-altered', { file, line: number, why }))
    this.lines++
    if (!line) {
      if (this.torn) this.noLine(this.torn.place)
      this.torn = { hash: lineHash(text), place: placed }
      return
    }
    const torn = this.settleTorn(line.torn, placed)
    const previous = torn ?? this.hash
    if (line.seq > this.seq + 1) {
      this.problems.push(problem('audit-lines-missing', { writer: this.writer, first: this.seq + 1, last: line.seq - 1 }))
    } else if (line.seq < this.seq + 1) altered(`has the number ${line.seq} in the place of ${this.seq + 1}`)
    else if (line.previous !== previous)
      altered(this.seq === 0 ? 'is not the first line' : 'does not follow the line before it: one of them was changed')
    if (line.time < this.time && line.clock === undefined) altered('is older than the line before it')
    if (line.clock !== undefined) this.problems.push(problem('audit-clock-back', { file, line: number, from: line.clock, to: line.time }))
    this.seq = Math.max(this.seq, line.seq)
    this.hash = lineHash(text)
    this.time = line.time < this.time ? this.time : line.time
    const checkpoint = this.wanted.get(line.seq)
    this.wanted.delete(line.seq)
    if (checkpoint && checkpoint.hash !== this.hash) altered('is not the line that the checkpoint has')
  }

  /** Checkpoints of lines that are not there. */
  end(): void {
    if (this.torn) this.notTorn()
    const last = Math.max(0, ...[...this.wanted.keys()].filter((seq) => seq > this.seq))
    if (last > 0) this.problems.push(problem('audit-lines-missing', { writer: this.writer, first: this.seq + 1, last }))
  }

  /** A line that is none, and the record of it that follows. */
  private settleTorn(torn: string | undefined, { file, number }: PlacedLine): string | undefined {
    const { hash, place } = this.torn ?? {}
    this.torn = undefined
    if (hash !== undefined && place && hash === torn) {
      this.problems.push(problem('audit-torn', { file: place.file, line: place.number }))
      return hash
    }
    if (place) this.noLine(place)
    if (torn !== undefined)
      this.problems.push(problem('audit-line-altered', { file, line: number, why: 'tells of a line that is not there' }))
    return hash
  }

  private noLine({ file, number }: PlacedLine): void {
    this.problems.push(problem('audit-line-altered', { file, line: number, why: 'is not a line of an audit' }))
  }

  /** The last line may be one that a process is writing, or one that it did not write to its end. */
  private notTorn(): void {
    const { place } = this.torn ?? {}
    if (place) this.problems.push(problem('audit-torn', { file: place.file, line: place.number }))
    this.torn = undefined
  }
}

async function readCheckpoints(path: string, library: string | undefined, problems: Problem[]): Promise<Checkpoint[]> {
  const key = AuditKey.fromEnvironment()
  const text = await readFile(path, 'utf8').catch((fault: unknown) => {
    throw new ProblemError([problem('file-unreadable', { file: path, why: reason(fault) })])
  })
  return text.split('\n').flatMap((line, i) => {
    if (line === '') return []
    const checkpoint = readCheckpoint(line, key, library)
    if (typeof checkpoint !== 'string') return [checkpoint]
    problems.push(problem('checkpoint-invalid', { file: path, line: i + 1, why: checkpoint }))
    return []
  })
}
