import type { ProblemRecord } from 'dunelight'

export type RunState = 'running' | 'done' | 'waiting' | 'interrupted' | 'failed' | 'crashed'

/** A run as the list shows it. */
export interface ListedRun {
  readonly run: string
  readonly state: RunState
  readonly started: string
  readonly prompt: string
  readonly batch?: string
  readonly seconds?: number
  /** How much of the table is done, from 0 to 1. */
  readonly share?: number
  readonly counts?: {
    readonly written: number
    readonly rejected: number
    readonly requests?: number
    readonly cached?: number
    readonly usage?: { readonly sent: number; readonly received: number }
    readonly labels?: Readonly<Record<string, Readonly<Record<string, number>>>>
  }
  readonly published?: string
  /** Why it ended early. */
  readonly fault?: string
  /** Set for runs that ask. */
  readonly asking?: { readonly model: string; readonly isMock: boolean }
}

/** Which table is asked for, and how. */
export interface WantedRun {
  readonly prompt: string
  readonly batch?: string
  readonly table?: string
  readonly model?: string
  readonly take?: number
}

export interface Estimate {
  readonly records: number
  readonly fit: number
  readonly tokens: number
  readonly isEstimated: boolean
  readonly model: string
  readonly isMock: boolean
  readonly cost?: string
  readonly seconds?: number
  readonly left?: number
}

export interface Candidate {
  readonly number: number
  readonly text: string
  readonly answer?: Readonly<Record<string, unknown>>
  readonly problems: readonly ProblemRecord[]
  readonly repairs: readonly string[]
  readonly unsupported: readonly string[]
  readonly similarItems: readonly string[]
  readonly isMock: boolean
  readonly similar?: number
  readonly isRegenerated?: { readonly part: string; readonly of: number }
  readonly isEdited: boolean
}

/** A record of a run with its answers, and what was decided. */
export interface ReviewedRecord {
  readonly record: string
  readonly row: number
  readonly candidates: readonly Candidate[]
  readonly state: 'accepted' | 'discarded' | 'open'
  readonly accepted?: number
  readonly parts: readonly string[]
  readonly problems: readonly ProblemRecord[]
  /** For a part of an assembly: its record, its key, and how its answer is chosen. */
  readonly part?: {
    readonly record: string
    readonly key: string
    readonly prompt: string
    readonly chosenBy: 'first' | 'person' | 'score'
  }
  /** The answer that the assembly takes as long as nothing is accepted. */
  readonly taken?: number
  readonly isOutOfDate?: boolean
}

/** One record of an assembly: its parts, and the document as far as it is there. */
export interface AssembledRecord {
  readonly record: string
  readonly parts: readonly ReviewedRecord[]
  readonly document?: readonly DocumentSpan[]
  readonly outOfDate: readonly string[]
}

/** A span of a document, with what wrote it. */
export interface DocumentSpan {
  readonly text: string
  readonly kind: 'fixed' | 'value' | 'answer'
  readonly path?: string
}

export type DocumentFormat = 'md' | 'html' | 'docx'

export interface OpenRun {
  readonly run: string
  readonly prompt: string
  readonly model: string
  readonly isMock: boolean
  readonly columns: readonly string[]
  /** The columns that hold labels. */
  readonly labelled: readonly string[]
  readonly records: readonly ReviewedRecord[]
  /** Whether the records are parts of documents. */
  readonly isAssembly: boolean
  readonly state: RunState
  readonly cut: boolean
}

export type Decision =
  | { readonly does: 'accept'; readonly records: readonly string[]; readonly answer?: number }
  | { readonly does: 'discard'; readonly records: readonly string[] }
  | { readonly does: 'regenerate'; readonly records: readonly string[]; readonly part?: string }
  | { readonly does: 'edit'; readonly records: readonly string[]; readonly text: string }

export interface Decided {
  readonly record: string
  readonly problems: readonly ProblemRecord[]
  readonly reviewed: ReviewedRecord
}

/** The answer that counts: the accepted one, else the one that the assembly takes, else the last that could be read. */
export function bestOf({ candidates, accepted, taken }: ReviewedRecord): Candidate | undefined {
  return candidates.find(({ number }) => number === (accepted ?? taken)) ?? candidates.findLast(({ answer }) => answer !== undefined)
}

/** What a person should look at before an answer is accepted. */
export function doubtsOf(record: ReviewedRecord): readonly string[] {
  const best = bestOf(record)
  if (!best) return record.problems.map(({ message }) => message)
  return [...best.unsupported.map((text) => `unsupported: ${text}`), ...best.similarItems, ...best.repairs]
}
