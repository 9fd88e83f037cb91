import { mkdir, open, realpath, type FileHandle } from 'node:fs/promises'
import { userInfo } from 'node:os'
import { join } from 'node:path'
import type { AuditEvent, AuditSink, Library, Problem } from 'dunelight'
import type { AuditModel } from 'dunelight/host'
import { wordingOf } from '../library/open-library.js'
import { append, appendTo, WriteFault, writeNew } from '../output/files.js'
import { reason } from '../output/reason.js'
import { secrets } from '../output/secrets.js'
import { requiredId } from '../snapshots/library-id.js'
import { AuditKey } from './audit-key.js'
import { AUDIT, lineHash, type AuditLine } from './audit-line.js'
import { CheckpointSender } from './checkpoints.js'
import { removeStored, storedPath, type StoredExchange } from './stored.js'
import { chainEnd, NO_CHAIN, Writer, type ChainEnd } from './writer.js'

/** Lines after which a checkpoint is sent. */
const CHECKPOINT_EVERY = 1000

/** How an audit is written. */
export interface AuditOptions {
  /** Who asks. Default: the user of the process. */
  readonly caller?: string
  /** Hears that a checkpoint could not be sent. */
  readonly notice?: (problem: Problem) => void
}

/** Who asks, and from which library. */
export interface AuditSource {
  readonly caller: string
  /** The library that was used; `at` and `edition` of its lines are those of its wording. */
  readonly library: Library
}

/** What a line tells, beside its place in the chain. */
export interface AuditEntry extends Omit<AuditLine, 'seq' | 'previous' | 'time' | 'clock' | 'caller' | 'values' | 'stored'> {
  readonly values?: Readonly<Record<string, unknown>>
  /** What was sent and what came back, for a library that stores it. */
  readonly exchange?: StoredExchange
}

/** What a log has once it has a place among the writers. */
interface Begun {
  readonly root: string
  /** The id of the library. */
  readonly library: string
  readonly key: AuditKey
  readonly writer: Writer
  readonly sender: CheckpointSender | undefined
}

interface Waiting {
  readonly line: string
  readonly day: string
  readonly done: (fault?: Error) => void
}

/**
 * The audit of a library: a line for each reply, chained, and on the disk before the reply is used. Programs hand its `sink` to `library.audit`,
 * and close it at the end.
 *
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const log = AuditLog.of('demo/marram-house', library, { caller: 'letters' })
 * log // => undefined
 * library.audit(log?.sink)
 */
export class AuditLog {
  private readonly waiting: Waiting[] = []
  private writing: Promise<void> | undefined
  private file: { readonly day: string; readonly handle: FileHandle } | undefined
  private fault: Error | undefined
  private sinceCheckpoint = 0
  /** The last line that is on the disk. */
  private written: { readonly seq: number; readonly hash: string } | undefined
  private begun: Promise<Begun> | undefined
  private chain: Omit<ChainEnd, 'torn'> = NO_CHAIN

  private constructor(
    private readonly folder: string,
    private readonly library: Library,
    private readonly model: AuditModel,
    private readonly options: AuditOptions,
  ) {}

  /**
   * The audit that `audit:` of dunelight.yaml asks for.
   *
   * @param folder - The library's folder.
   * @param library - The library.
   * @param options - Who asks.
   * @returns The log, which has to be closed; undefined for a library without an audit.
   * @example
   * const library = await openLibrary('demo/marram-house')
   * AuditLog.of('demo/marram-house', library) // => undefined
   */
  static of(folder: string, library: Library, options: AuditOptions = {}): AuditLog | undefined {
    const model = library.artefacts.library.audit
    return model && new AuditLog(folder, library, model, options)
  }

  /**
   * Refuses a library that cannot be audited here: before anything is begun.
   *
   * @throws ProblemError if the library has no id, or the environment has no key.
   */
  check(): void {
    requiredId(this.library.id)
    AuditKey.fromEnvironment()
  }

  /**
   * Takes a place among the writers: before anything is asked that the log could not tell of.
   *
   * @throws ProblemError if the library has no id, or the environment has no key.
   */
  async ready(): Promise<void> {
    await (this.begun ??= this.begin())
  }

  private async begin(): Promise<Begun> {
    const library = requiredId(this.library.id)
    const key = AuditKey.fromEnvironment()
    const root = await realpath(this.folder)
    const { checkpoints, retention } = this.model
    if (retention !== undefined) await removeStored(root, retention)
    const writer = await Writer.take(root)
    try {
      const end = await chainEnd(root, writer.name)
      this.chain = end
      const { torn, day } = end
      if (torn !== undefined && day !== undefined) {
        // The line stays as it is; the next one has its digest.
        await appendTo(join(root, AUDIT, day, `${writer.name}.jsonl`), '\n')
      }
      const notice = this.options.notice ?? (() => undefined)
      const sender = checkpoints === undefined ? undefined : new CheckpointSender(root, checkpoints, key, notice)
      const begun = { root, library, key, writer, sender }
      if (torn !== undefined) this.add(begun, { operation: 'torn', torn }).catch(() => undefined)
      return begun
    } catch (fault) {
      await writer.release()
      throw fault
    }
  }

  /** For `library.audit(sink)`. */
  readonly sink: AuditSink = (event) => this.write(entryOf(event))

  /**
   * Adds a line. When this returns, it is on the disk.
   *
   * @param entry - What was done.
   * @throws WriteFault if it cannot be written: what it tells of must not be used then.
   */
  async write(entry: AuditEntry): Promise<void> {
    await this.add(await (this.begun ??= this.begin()), entry)
  }

  /** The same log for one caller of several, and for one library of several. */
  of(source: AuditSource): Pick<AuditLog, 'ready' | 'write'> {
    return {
      ready: () => this.ready(),
      write: async (entry) => this.add(await (this.begun ??= this.begin()), entry, source),
    }
  }

  private async add(begun: Begun, entry: AuditEntry, source?: AuditSource): Promise<void> {
    if (this.fault) throw this.fault
    const { root, key, writer } = begun
    const { values, exchange, ...told } = entry
    const now = new Date().toISOString()
    const isBack = now < this.chain.time
    // With a clock that went back the lines stay in their order: none is written before one that is there.
    const today = now.slice(0, 10)
    const day = this.chain.day !== undefined && today < this.chain.day ? this.chain.day : today
    const seq = this.chain.seq + 1
    const stored = exchange && this.model.storesValues ? secrets.redact(`${JSON.stringify(exchange)}\n`) : undefined
    const { edition, pinned } = wordingOf(source?.library ?? this.library) ?? {}
    const line: AuditLine = {
      seq,
      previous: this.chain.hash,
      time: now,
      ...(isBack && { clock: this.chain.time }),
      caller: source?.caller ?? this.options.caller ?? userName(),
      ...told,
      ...(pinned !== undefined && told.prompt !== undefined && { at: pinned }),
      ...(edition && told.prompt !== undefined && { edition: edition.digest }),
      ...(values && { values: key.mark('values', values) }),
      ...(stored !== undefined && { stored: lineHash(stored) }),
    }
    const text = secrets.redact(JSON.stringify(line))
    this.chain = { day, seq, hash: lineHash(text), time: isBack ? this.chain.time : now }
    // The order of lines is that of their numbers: no await before this.
    const written = new Promise<void>((resolve, reject) => {
      this.waiting.push({ line: `${text}\n`, day, done: (fault) => (fault ? reject(fault) : resolve()) })
    })
    this.writing ??= this.writeAll(begun)
    const beside = stored === undefined ? undefined : writeNew(join(root, storedPath(day, writer.name, seq)), stored)
    await Promise.all([written, beside])
  }

  /** Sends the last checkpoint, and leaves the chain to the next process. */
  async close(): Promise<void> {
    const begun = await this.begun?.catch(() => undefined)
    if (!begun) return
    // What is written later takes a place of its own.
    this.begun = undefined
    await this.writing
    if (this.sinceCheckpoint > 0 && !this.fault) await this.checkpoint(begun)
    await this.file?.handle.close()
    this.file = undefined
    await begun.writer.release()
    if (this.fault) throw this.fault
  }

  /** Lines that came at the same time are written and made durable at once. */
  private async writeAll(begun: Begun): Promise<void> {
    while (this.waiting.length > 0) {
      const day = this.waiting[0]?.day ?? ''
      const end = this.waiting.findIndex((item) => item.day !== day)
      const some = this.waiting.splice(0, end < 0 ? this.waiting.length : end)
      try {
        if (this.fault) throw this.fault
        const handle = await this.fileOf(begun, day)
        await append(handle, some.map(({ line }) => line).join(''), join(AUDIT, day, `${begun.writer.name}.jsonl`))
        await handle.datasync()
        await this.count(begun, some.at(-1)?.line ?? '', some.length)
        for (const { done } of some) done()
      } catch (fault) {
        // What was written may end within a line: no line may follow it in this process.
        this.fault = fault instanceof Error ? fault : new Error(String(fault))
        for (const { done } of some) done(this.fault)
      }
    }
    this.writing = undefined
  }

  private async count(begun: Begun, text: string, lines: number): Promise<void> {
    const line = text.trim()
    this.written = { seq: (JSON.parse(line) as AuditLine).seq, hash: lineHash(line) }
    this.sinceCheckpoint += lines
    if (this.sinceCheckpoint >= CHECKPOINT_EVERY) await this.checkpoint(begun)
  }

  private async fileOf(begun: Begun, day: string): Promise<FileHandle> {
    if (this.file?.day === day) return this.file.handle
    if (this.file) {
      await this.checkpoint(begun)
      await this.file.handle.close()
    }
    const folder = join(begun.root, AUDIT, day)
    try {
      await mkdir(folder, { recursive: true })
      const handle = await open(join(folder, `${begun.writer.name}.jsonl`), 'a')
      this.file = { day, handle }
      return handle
    } catch (fault) {
      throw new WriteFault(join(AUDIT, day), reason(fault), { cause: fault })
    }
  }

  private async checkpoint({ library, writer, sender }: Begun): Promise<void> {
    this.sinceCheckpoint = 0
    if (this.written && sender) await sender.send({ library, writer: writer.name, ...this.written, time: new Date().toISOString() })
  }
}

/** The user of the process; by number where the system knows no name, as in many containers. */
function userName(): string {
  try {
    return userInfo().username
  } catch {
    return `user ${process.getuid?.() ?? 'unknown'}`
  }
}

function entryOf(event: AuditEvent): AuditEntry {
  const { operation, prompt, values, fingerprint, turns, reply, requests, usage, isMock, notes, problems, fault } = event
  return {
    operation,
    prompt,
    values,
    ...(fingerprint !== undefined && { fingerprint }),
    ...(operation === 'ask' && { requests, ...(isMock && { model: 'mock' }) }),
    ...replyEntry({ usage, notes, problems, turns, reply }),
    ...(fault !== undefined && { status: 'failed' }),
  }
}

/** What a line tells of what was sent and what came back. */
export function replyEntry({
  usage,
  notes,
  problems,
  turns,
  reply,
}: Pick<AuditEvent, 'usage' | 'notes' | 'problems' | 'turns' | 'reply'>): Omit<AuditEntry, 'operation'> {
  return {
    ...(usage && { sent: usage.sent, received: usage.received }),
    ...(notes.length > 0 && { findings: notes.map(({ screen }) => screen) }),
    ...(problems.length > 0 && { problems: problems.map(({ code }) => code) }),
    status: problems.length > 0 ? 'rejected' : 'done',
    exchange: { turns, ...(reply !== undefined && { reply }) },
  }
}
