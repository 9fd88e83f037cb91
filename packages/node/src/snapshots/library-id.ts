import { randomBytes } from 'node:crypto'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'

/** An id for a library: random, so that no two libraries share one. */
export function newLibraryId(): string {
  return randomBytes(12).toString('hex')
}

/**
 * The id of a library that publishes.
 *
 * @throws ProblemError with a new one where there is none.
 */
export function requiredId(id: string | undefined): string {
  if (id === undefined) throw new ProblemError([problem('id-missing', { id: newLibraryId() })])
  return id
}
