import type { MockOptions } from 'dunelight/host'
import type { RunFile } from '../runs/run-file.js'
import type { AskCounts } from './ask-counts.js'

/** How far a model's own counts of tokens lie from ours, as earlier runs of it found. */
export interface TokenCorrection {
  /** What a count of ours is multiplied by. */
  readonly factor: number
  /** How many runs are checked. */
  readonly runs: number
}

/** How a run asks a model. */
export interface Asking {
  readonly model: string
  readonly isMock: boolean
  /** SHA-256 over all that makes it another model. */
  readonly identity: string
  /** The seed and faults of the mock model. */
  readonly mock?: Pick<MockOptions, 'seed' | 'faults'>
  /** How often a reply that its output refuses is asked for again. */
  readonly corrections: number
  /** Whether nothing is taken from what was answered before. */
  readonly fresh: boolean
  /** The one record that was asked for, and how many answers. */
  readonly only?: string
  readonly candidates?: number
  /** How counts of tokens were corrected, by earlier runs. */
  readonly correction?: TokenCorrection
}

/** The file of a run that asks. */
export interface AskRun extends RunFile {
  readonly asking: Asking
  readonly counts?: AskCounts
}

export function isAskRun(file: RunFile): file is AskRun {
  return 'asking' in file
}
