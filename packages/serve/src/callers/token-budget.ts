import { mkdir, open, readdir, readFile, rm, type FileHandle } from 'node:fs/promises'
import { join } from 'node:path'
import { defined } from 'dunelight/host'
import { append, LineWriter } from '@dunelight/node/host'
import { ServiceFault } from '../faults/fault.js'
import type { Caller } from './caller.js'

/** A line of the file of a day: tokens that were reserved for a question, or what it took in the end. */
interface BudgetLine {
  readonly caller: string
  readonly question: number
  readonly tokens: number
}

/** Tokens that a caller has in use for one question. */
export interface Reservation {
  /** Tells what the question took. When this returns, it is on the disk. */
  settle(tokens: number): Promise<void>
}

/**
 * The tokens that callers have used today. They are reserved on the disk before a model is asked: a process that is killed has counted them
 * already, and the next one starts with them.
 */
export class TokenBudgets {
  private readonly used = new Map<string, number>()
  private question = 0
  private readonly writer = new LineWriter(async (bytes) => {
    // A line that was begun before midnight may be counted after it.
    const { handle } = defined(this.file)
    await append(handle, bytes, this.folder)
    await handle.datasync()
  })
  private file: { readonly day: string; readonly handle: FileHandle } | undefined
  private opening: Promise<FileHandle> | undefined

  private constructor(private readonly folder: string) {}

  static async open(state: string): Promise<TokenBudgets> {
    const folder = join(state, 'tokens')
    await mkdir(folder, { recursive: true })
    const budgets = new TokenBudgets(folder)
    await budgets.fileOf(today())
    return budgets
  }

  /**
   * Reserves tokens for a question.
   *
   * @throws ServiceFault if the caller has spent its tokens of the day.
   */
  async reserve({ id, name, tokensADay }: Caller, tokens: number): Promise<Reservation> {
    if (tokensADay === undefined) return UNLIMITED
    const day = today()
    await this.fileOf(day)
    const used = this.used.get(id) ?? 0
    if (used + tokens > tokensADay) {
      const retryAfter = Math.ceil((Date.parse(`${day}T24:00:00Z`) - Date.now()) / 1000)
      throw new ServiceFault('budget-spent', `${name} has used ${used} of ${tokensADay} tokens today, and needs about ${tokens} more`, {
        retryAfter,
      })
    }
    this.used.set(id, used + tokens)
    const question = ++this.question
    await this.write({ caller: id, question, tokens })
    return {
      settle: async (taken) => {
        // A question that ends after midnight is counted on the day on which it began.
        if (this.file?.day === day) {
          this.used.set(id, (this.used.get(id) ?? 0) + taken - tokens)
          await this.write({ caller: id, question, tokens: taken })
        }
      },
    }
  }

  async close(): Promise<void> {
    await this.writer.settled()
    await this.file?.handle.close()
    this.file = undefined
  }

  private write(line: BudgetLine): Promise<void> {
    return this.writer.add(Buffer.from(`${JSON.stringify(line)}\n`))
  }

  private async fileOf(day: string): Promise<FileHandle> {
    if (this.file?.day === day) return this.file.handle
    this.opening ??= this.begin(day).finally(() => {
      this.opening = undefined
    })
    return this.opening
  }

  private async begin(day: string): Promise<FileHandle> {
    const path = join(this.folder, `${day}.jsonl`)
    const lines = (await readFile(path, 'utf8').catch(() => '')).split('\n')
    const last = new Map<string, BudgetLine>()
    let number = 0
    for (const text of lines) {
      const line = lineIn(text)
      // What a process reserved and did not settle counts as it was reserved; the next process begins with other numbers.
      if (line) last.set(`${line.caller} ${line.question}`, line)
      number = Math.max(number, line?.question ?? 0)
    }
    this.question = number
    this.used.clear()
    for (const { caller, tokens } of last.values()) this.used.set(caller, (this.used.get(caller) ?? 0) + tokens)
    const handle = await open(path, 'a')
    // A line that was not written to its end has an end of its own.
    if (lines.at(-1) !== '') await append(handle, '\n', path)
    const before = this.file
    this.file = { day, handle }
    await this.writer.settled()
    await before?.handle.close()
    for (const name of await readdir(this.folder)) if (name < `${day}.jsonl`) await rm(join(this.folder, name), { force: true })
    return handle
  }
}

/** A caller without a limit: nothing is counted. */
const UNLIMITED: Reservation = { settle: () => Promise.resolve() }

function today(): string {
  return new Date().toISOString().slice(0, 10)
}

function lineIn(text: string): BudgetLine | undefined {
  try {
    const { caller, question, tokens } = JSON.parse(text) as Partial<BudgetLine>
    if (caller !== undefined && question !== undefined && tokens !== undefined) return { caller, question, tokens }
  } catch {
    // The line of a process that was killed while it wrote.
  }
  return undefined
}
