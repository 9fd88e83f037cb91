import type { ProblemRecord, Turn } from 'dunelight'

/** A question that was put to a model, and what came of it, as the server keeps it. */
export interface AskedRecord {
  readonly at: string
  readonly prompt: string
  readonly record: string
  readonly model: string
  readonly isMock: boolean
  readonly wording: string
  /** Which of several answers to the same question, from 1. */
  readonly candidate: number
  /** Whether it was answered before, and nothing was sent. */
  readonly cached: boolean
  readonly turns: readonly Turn[]
  readonly settings: Readonly<Record<string, unknown>>
  readonly text?: string
  readonly problems: readonly ProblemRecord[]
  readonly finish?: 'done' | 'cut-off' | 'refused'
  readonly usage?: { readonly sent: number; readonly received: number }
  readonly requests: number
  readonly seconds: number
  readonly cost?: string
}

/** What the page may send to models. */
export interface SessionState {
  readonly sent: number
  readonly most: number
}

export interface ModelChoice {
  readonly name: string
  readonly about?: string
  readonly hasPrice: boolean
  readonly isMock: boolean
}

export interface Models {
  readonly models: readonly ModelChoice[]
  /** The model where none is chosen. */
  readonly usual: string
  readonly session: SessionState
}

/** What a question needs. */
export interface Question {
  /** Texts of the library that are not as on the disk. */
  readonly files: Readonly<Record<string, string>>
  readonly prompt: string
  readonly batch?: string
  readonly record: string
  readonly values: Readonly<Record<string, unknown>>
  readonly model?: string
  readonly wording: string
  readonly candidate: number
  readonly fresh: boolean
}

/** What is heard while a reply comes. */
export type AskEvent =
  | { readonly kind: 'text'; readonly from: number; readonly text: string }
  | { readonly kind: 'retry'; readonly why: string }
  | { readonly kind: 'done'; readonly asked: AskedRecord; readonly session: SessionState }
  | { readonly kind: 'failed'; readonly problems: readonly ProblemRecord[]; readonly session: SessionState }
  | { readonly kind: 'cancelled' }
