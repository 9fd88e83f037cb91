import { ProblemError, type Problem } from 'dunelight'
import { problem, type BatchRecord } from 'dunelight/host'
import { hashName, HashSet64 } from './hash-set.js'
import { KnownIds } from './known-ids.js'
import { Names } from './names.js'
import { safePath } from './safe-path.js'

export interface SelectionOptions {
  /** Accepts every record: the caller selects. */
  readonly all?: boolean
  /** Ends after this many records that fit. */
  readonly take?: number | undefined
  /** Only the record of this name. */
  readonly only?: string | undefined
  /** Records that were finished before the run was interrupted. */
  readonly done?: number
  /** Rejects a record whose name another had before it. */
  readonly unique?: boolean
  /** The part of the records' own paths that all have in common. */
  readonly base?: string | undefined
}

/** What happens to a record: its step runs, it is rejected for these problems, or it is skipped. */
export type Verdict = 'wanted' | 'skipped' | readonly Problem[]

/**
 * Decides which records a run processes, by `take`, `only`, the finished records, and repeated names and paths. It is asked about each record
 * once, in the order of the table. (`sample` is applied to the table before.)
 */
export class Selection {
  /** Records that were decided on. */
  count = 0
  private readonly names = new Names()
  private readonly paths = new HashSet64(false)
  private left: number
  private isFound = false
  private readonly known = new KnownIds()

  constructor(private readonly options: SelectionOptions = {}) {
    this.left = options.take ?? Infinity
  }

  /** Whether no further record is needed. */
  get full(): boolean {
    return this.left <= 0
  }

  verdict(id: string, named: boolean, fits: boolean, path: string | undefined): Verdict {
    const { all, only, done = 0 } = this.options
    if (all) return 'wanted'
    const isOther = only !== undefined && id !== only
    if (isOther) this.known.add(id)
    if (this.full || isOther) return 'skipped'
    const before = ++this.count <= done
    this.isFound = true
    if (only !== undefined) this.left = 0
    if (!fits) return before ? 'skipped' : 'wanted'
    const refused = this.refused(id, named, path)
    if (!refused) this.left--
    return before ? 'skipped' : (refused ?? 'wanted')
  }

  of({ id, named, prepared, path }: BatchRecord): Verdict {
    return this.verdict(id, named, prepared !== undefined, path)
  }

  /** @throws ProblemError if the table does not have the only wanted record. */
  end(): void {
    const { only } = this.options
    if (only !== undefined && !this.isFound) throw new ProblemError([this.known.unknown(only)])
  }

  private refused(id: string, named: boolean, path: string | undefined): readonly Problem[] | undefined {
    // Rows without a name of their own are distinguished by their number.
    if (this.options.unique && named && this.names.add(id)) return [problem('record-id-duplicate', { name: id })]
    if (path === undefined) return undefined
    const safe = safePath(path, this.options.base ?? '')
    if (safe === undefined) return [problem('record-path-invalid', { path })]
    // Some disks take two names that differ in case for one.
    const [high, low] = hashName(safe.normalize('NFC').toLowerCase())
    return this.paths.add(high, low, 0) === undefined ? undefined : [problem('record-path-duplicate', { path: safe })]
  }
}
