import { secrets } from '../output/secrets.js'
import type { Destination } from './engine.js'

/** What lines are written to: any of Node's writable streams. */
export interface Sink {
  write(bytes: Uint8Array, done: (fault?: Error | null) => void): unknown
  once(event: 'error', listener: (fault: Error) => void): unknown
  off(event: 'error', listener: (fault: Error) => void): unknown
}

/** A stream, and the text above its lines. */
export interface RunStream {
  readonly sink: Sink
  readonly head?: (headings: readonly string[]) => string
}

export interface StreamOptions {
  /** Undefined if every line goes to one of the others. */
  readonly output: RunStream | undefined
  readonly rejected?: Sink | undefined
  readonly others?: ReadonlyMap<string, RunStream>
}

/** Streams that a run writes to. One that gets no line has its head alone, if the run completes. */
export class RunStreams implements Destination {
  private pending: Promise<void> = Promise.resolve()
  private readonly begun = new Set<RunStream>()
  private headings: readonly string[] = []

  constructor(private readonly options: StreamOptions) {}

  begin(headings: readonly string[]): Promise<void> {
    this.headings = headings
    return Promise.resolve()
  }

  async write(pieces: readonly Uint8Array[]): Promise<void> {
    await this.pending
    const { output } = this.options
    if (!output || pieces.length === 0) return
    this.pending = this.writeAll(output, pieces)
    // Heard of with the next block, or at the end.
    this.pending.catch(() => undefined)
  }

  async reject(lines: string): Promise<void> {
    const { rejected } = this.options
    if (rejected) await writeTo(rejected, Buffer.from(lines))
  }

  async add(name: string, content: string | Uint8Array): Promise<void> {
    const stream = this.options.others?.get(name)
    if (stream) await this.writeAll(stream, [typeof content === 'string' ? Buffer.from(content) : content])
  }

  reached(): Promise<void> {
    return Promise.resolve()
  }

  /** Waits for what is on its way, and gives their heads to streams that got nothing. */
  async end(): Promise<void> {
    await this.pending
    for (const stream of [this.options.output, ...(this.options.others?.values() ?? [])]) if (stream) await this.writeAll(stream, [])
  }

  private async writeAll(stream: RunStream, pieces: readonly Uint8Array[]): Promise<void> {
    const head = this.begun.has(stream) ? '' : (stream.head?.(this.headings) ?? '')
    this.begun.add(stream)
    if (head !== '') await writeTo(stream.sink, Buffer.from(head))
    for (const piece of pieces) await writeTo(stream.sink, piece)
  }
}

function writeTo(to: Sink, bytes: Uint8Array): Promise<void> {
  return new Promise((resolve, reject) => {
    const fail = (fault: Error) => reject(fault)
    to.once('error', fail)
    to.write(secrets.redactBytes(bytes), (fault) => {
      to.off('error', fail)
      if (fault) reject(fault)
      else resolve()
    })
  })
}
