import type { Library, Prompt } from 'dunelight'
import type { Channels } from 'dunelight/editions'

/** A prompt in one wording, ready to be used. A request uses one of them from its beginning to its end. */
export interface Wording {
  readonly name: string
  readonly library: Library
  readonly prompt: Prompt
  readonly tags: readonly string[]
  readonly isTool: boolean
  /** Undefined for the working files. */
  readonly edition: WordingEdition | undefined
  /** What its library has beside the edition: equal for equal models and screens. */
  readonly beside: string
}

export interface WordingEdition {
  readonly number: number
  readonly digest: string
  readonly created: string
  readonly author: string | undefined
  readonly note: string | undefined
  /** Who published it and who approved it, by the approvers that are trusted; undefined without approvers. */
  readonly approval: { readonly publisher: string | undefined; readonly by: readonly string[] } | undefined
}

/** What is in use at one time: it is replaced as a whole. */
export interface WordingState {
  /** By channel, then by prompt. Working files are in the channel with the empty name. */
  readonly channels: ReadonlyMap<string, ReadonlyMap<string, Wording>>
  /** Why something is not in use, or not as it should be. */
  readonly refused: readonly RefusedWording[]
  /** The channel statement; undefined for working files. */
  readonly statement: Channels | undefined
}

/** A prompt that is not served, or that is served in an earlier wording, and why. */
export interface RefusedWording {
  readonly name: string
  readonly channel: string
  readonly why: Error
}

/** The channel under which working files are found. */
export const WORKING = ''
