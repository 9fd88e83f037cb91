/** Adds to the end of a file; those texts that come while another is being written are written at once. */
export class LineWriter {
  private waiting: WaitingBytes[] = []
  private writing: Promise<void> | undefined

  /** @param write Writes bytes to the end of the file, and makes them durable where that is wanted. */
  constructor(private readonly write: (bytes: Buffer) => Promise<unknown>) {}

  /** Bytes that are not being written yet. */
  get waitingBytes(): number {
    return this.waiting.reduce((sum, { bytes }) => sum + bytes.length, 0)
  }

  /**
   * Adds bytes. When this returns, they are written.
   *
   * @throws what `write` throws.
   */
  add(bytes: Buffer): Promise<void> {
    return new Promise((resolve, reject) => {
      this.waiting.push({ bytes, resolve, reject })
      this.writing ??= this.writeAll()
    })
  }

  /** Waits until nothing is being written. */
  async settled(): Promise<void> {
    await this.writing
  }

  private async writeAll(): Promise<void> {
    while (this.waiting.length > 0) {
      const some = this.waiting
      this.waiting = []
      try {
        await this.write(Buffer.concat(some.map(({ bytes }) => bytes)))
        for (const { resolve } of some) resolve()
      } catch (fault) {
        for (const { reject } of some) reject(fault)
      }
    }
    this.writing = undefined
  }
}

interface WaitingBytes {
  readonly bytes: Buffer
  readonly resolve: () => void
  readonly reject: (fault: unknown) => void
}
