import { randomBytes } from 'node:crypto'
import { Writable } from 'node:stream'
import { secrets, visible } from '@dunelight/node/host'
import type { CommandContext } from './context.js'

type Stream = CommandContext['stdout']

/** Begins a colour of ours in a text. It is unknown to values, so no value can colour, hide or move anything on a terminal. */
export const COLOUR = `\u0000${randomBytes(8).toString('hex')}`

/** A text as it may be shown: controls made visible, our own colours kept. */
export function shown(text: string): string {
  return text.includes(COLOUR) ? text.split(COLOUR).map(visible).join(COLOUR) : visible(text)
}

/**
 * The only way to standard output and standard error: no secret passes, and on a terminal no control that we did not write. What is piped
 * elsewhere from standard output is data, and keeps its characters.
 */
class Guard extends Writable {
  constructor(
    readonly raw: Stream,
    private readonly isData: boolean,
  ) {
    super({ decodeStrings: false })
    // What goes wrong is heard of by the write, too.
    raw.on('error', (fault) => this.destroy(fault))
  }

  get isTTY(): boolean {
    return this.raw.isTTY ?? false
  }

  get columns(): number | undefined {
    return this.raw.columns
  }

  override _write(chunk: string | Uint8Array, _encoding: string, done: (fault?: Error | null) => void): void {
    const asIs = this.isData && !this.isTTY
    if (typeof chunk !== 'string' && asIs) this.raw.write(secrets.redactBytes(chunk), done)
    else {
      const text = secrets.redact(typeof chunk === 'string' ? chunk : Buffer.from(chunk).toString('utf8'))
      this.raw.write((asIs ? text : shown(text)).replaceAll(COLOUR, '\u001b['), done)
    }
  }
}

/** The surroundings with both streams guarded. */
export function guarded(context: CommandContext): CommandContext {
  return { ...context, stdout: guard(context.stdout, true), stderr: guard(context.stderr, false) }
}

function guard(stream: Stream, isData: boolean): Stream {
  return new Guard(stream, isData) as unknown as Stream
}

/** The stream itself, for a progress bar that shows numbers alone. */
export function rawStream(stream: Stream): Stream {
  return stream instanceof Guard ? stream.raw : stream
}
