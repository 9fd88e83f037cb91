import type { Turn } from 'dunelight'

// What a service sends. The service's own types are those of a package that browsers do not have; a test holds both equal.

/** A rendered prompt. */
export interface RenderedPrompt {
  readonly turns: readonly Turn[]
  /** SHA-256 of the turns. */
  readonly fingerprint: string
  /** The number of the edition; absent for the working files of a service under development. */
  readonly edition?: number
}

/** A model's answer, read and checked. */
export interface AskedPrompt<R = unknown> {
  /** What the reply was read as. */
  readonly answer: R
  readonly text: string
  readonly edition?: number
  readonly fingerprint: string
  readonly model: string
  readonly usage?: { readonly sent: number; readonly received: number }
  readonly repairs: readonly string[]
  /** Figures, dates and names of the answer that occur in no input. */
  readonly unsupported: readonly string[]
  readonly notes: readonly string[]
  readonly corrections: number
  readonly cached: boolean
  readonly isMock?: true
}

/** A reply that was read. */
export interface ReadPrompt<R = unknown> {
  readonly answer: R
  readonly edition?: number
  readonly repairs: readonly string[]
  /** Absent if no values were sent to compare the reply with. */
  readonly unsupported?: readonly string[]
}

/** A prompt in the list of prompts. */
export interface PromptEntry {
  readonly name: string
  readonly title: string
  readonly about?: string
  readonly tags: readonly string[]
  readonly edition?: number
}

/** A refusal as `application/problem+json`. */
export interface RefusalDetails {
  readonly type: string
  readonly title: string
  readonly status: number
  readonly detail: string
  readonly problems?: readonly { readonly code: string; readonly message: string; readonly help?: string; readonly pointer?: string }[]
}

/** What has come of a reply: the text from a position on, and for fields what it says so far. */
export interface ReplyPiece {
  readonly from: number
  readonly text: string
  readonly partial?: unknown
}
