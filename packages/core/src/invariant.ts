/** What went wrong in this library, and not in what it was given. */
export class InternalError extends Error {
  override readonly name = 'InternalError'

  constructor(cause: string) {
    super(`this is a bug in dunelight: ${cause}`)
  }
}

/**
 * States what must hold at a place.
 *
 * @throws InternalError where it does not.
 */
export function invariant(holds: boolean, otherwise: string): asserts holds {
  if (!holds) throw new InternalError(otherwise)
}

/**
 * A value that the code before it has made sure of, although its type allows undefined.
 *
 * @throws InternalError if it is not.
 */
export function defined<T>(value: T): NonNullable<T> {
  if (value === undefined || value === null) throw new InternalError('a value is missing that must be there')
  return value
}

/** The end of a switch over a union: reached only by a bug of ours, never by a fault of input. */
export function assertNever(value: never): never {
  throw new InternalError(`unexpected ${JSON.stringify(value)}`)
}
