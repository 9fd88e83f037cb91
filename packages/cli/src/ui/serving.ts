import { once } from 'node:events'
import { WrongUse, type CommandContext } from './context.js'

/**
 * Listens at the port that was asked for, or else at the usual one; if that is taken, at any free port.
 *
 * @throws WrongUse if the port that was asked for is taken.
 */
export async function listenAt<T>(asked: number | undefined, usual: number, listen: (port: number) => Promise<T>): Promise<T> {
  try {
    return await listen(asked ?? usual)
  } catch (fault) {
    if ((fault as NodeJS.ErrnoException).code !== 'EADDRINUSE') throw fault
    if (asked === undefined) return listen(0)
    throw new WrongUse(`something else listens at port ${asked}`, 'choose another, or --port 0 for a free one')
  }
}

/** Waits until the command is interrupted. */
export async function interrupted({ signal }: CommandContext): Promise<void> {
  if (signal && !signal.aborted) await once(signal, 'abort')
}
