import { join } from 'node:path'
import { AnswerLog, pruneAnswers, type CachedAnswer } from '@dunelight/node/host'
import type { Caller } from '../callers/caller.js'

/** Cached answers in the state folder: those of each caller for itself, and one cache for the callers that share. */
export class AnswerCaches {
  private readonly logs = new Map<string, Promise<AnswerLog>>()

  /** @param retention Days after which an answer is deleted, when its file is opened; undefined keeps it. */
  constructor(
    private readonly state: string,
    private readonly retention: number | undefined,
  ) {}

  async get(caller: Caller, key: string): Promise<CachedAnswer | undefined> {
    return (await this.logOf(caller)).get(key)
  }

  async add(caller: Caller, answer: CachedAnswer): Promise<void> {
    await (await this.logOf(caller)).add(answer)
  }

  async close(): Promise<void> {
    for (const log of this.logs.values()) await (await log).close()
  }

  private logOf({ id, shareCache }: Caller): Promise<AnswerLog> {
    const name = shareCache ? 'shared' : id
    const known = this.logs.get(name) ?? this.open(join(this.state, 'answers', `${name}.jsonl`))
    this.logs.set(name, known)
    return known
  }

  private async open(path: string): Promise<AnswerLog> {
    if (this.retention !== undefined) await pruneAnswers(path, this.retention)
    return AnswerLog.open(path)
  }
}
