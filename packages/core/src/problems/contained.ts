import { defined } from '../invariant.js'
import { problem, ProblemError } from './problem.js'

/**
 * Runs a step for one record. An exception other than problems is a bug of ours, or of a program's format: it becomes a
 * problem of that record, so that it costs no other.
 *
 * @throws ProblemError where the record has problems, and nothing else.
 */
export function contained<T>(step: () => T): T {
  try {
    return step()
  } catch (fault) {
    if (fault instanceof ProblemError) throw fault
    throw new ProblemError([internalError(fault)], { cause: fault })
  }
}

/** An exception as a problem; its data has the stack. */
export function internalError(fault: unknown) {
  const { message, stack } = fault instanceof Error ? fault : new Error(String(fault))
  return problem('internal-error', {
    cause: defined(message.replace(/^this is a bug in dunelight: /, '').split('\n')[0]).slice(0, 200),
    stack: stack ?? '',
  })
}
