import { problem, ProblemError } from '../problems/problem.js'

/** Where a wording is taken from: an edition, the edition that a channel points at, or a commit. */
export type Snapshot =
  | { readonly kind: 'edition'; readonly number: number }
  | { readonly kind: 'channel'; readonly name: string }
  | { readonly kind: 'git'; readonly revision: string }

/** A prompt, an assembly or a batch as it is named; without a snapshot its working files are meant. */
export interface Reference {
  readonly name: string
  readonly snapshot: Snapshot | undefined
}

/** A channel is named as the things of a library are. */
export const CHANNEL_NAME = /^\p{L}[\p{L}\p{N}_-]*$/u

/** Whether a reference means an edition, by its number or by a channel. */
export function meansEdition(text: string): boolean {
  const kind = readReference(text).snapshot?.kind
  return kind === 'edition' || kind === 'channel'
}

/**
 * Reads `label/write@7`, `label/write@live`, `label/write@git:HEAD~3`, or a name alone.
 *
 * @param text - The reference.
 * @returns The name, and the snapshot that is meant.
 * @throws ProblemError where the part after the @ is nothing of these.
 * @example
 * readReference('label/write@7') // => { name: 'label/write', snapshot: { kind: 'edition', number: 7 } }
 */
export function readReference(text: string): Reference {
  const position = text.indexOf('@')
  if (position < 0) return { name: text, snapshot: undefined }
  const [name, place] = [text.slice(0, position), text.slice(position + 1)]
  const revision = place.startsWith('git:') ? place.slice(4) : undefined
  if (name !== '' && /^[1-9]\d{0,8}$/.test(place)) return { name, snapshot: { kind: 'edition', number: Number(place) } }
  if (name !== '' && CHANNEL_NAME.test(place)) return { name, snapshot: { kind: 'channel', name: place } }
  if (name !== '' && revision !== undefined && revision !== '') return { name, snapshot: { kind: 'git', revision } }
  throw new ProblemError([problem('reference-invalid', { text })])
}
