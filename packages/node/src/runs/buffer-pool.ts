const FIRST = 1024 * 1024

/** Makes a place for bytes. */
type Allocate = (size: number) => Uint8Array

/** Memory that another thread reads in place: a copy for each block would be garbage that is collected late. */
export const sharedMemory: Allocate = (size) => new Uint8Array(new SharedArrayBuffer(size))

/** Bytes that are filled, passed on, and filled again in the same memory: a run's lines would otherwise be a gigabyte of garbage. */
export class ReusedBuffer {
  private buffer: Buffer
  private length = 0

  constructor(private readonly allocate: Allocate) {
    this.buffer = viewOf(allocate(FIRST))
  }

  /** Adds a text of one character for each byte. */
  add(text: string): void {
    const end = this.length + text.length
    if (end > this.buffer.length) this.grow(end)
    this.buffer.write(text, this.length, 'latin1')
    this.length = end
  }

  /** All of its memory, for those that write into it themselves. */
  get memory(): Uint8Array {
    return this.buffer
  }

  /** Where the next byte goes. */
  get end(): number {
    return this.length
  }

  /** Counts bytes that were written into the memory. */
  fillTo(end: number): void {
    this.length = end
  }

  /** The memory, made so large at least. */
  memoryOf(least: number): Uint8Array {
    if (least > this.buffer.length) this.grow(least)
    return this.buffer
  }

  get bytes(): Uint8Array {
    return this.buffer.subarray(0, this.length)
  }

  clear(): void {
    this.length = 0
  }

  private grow(least: number): void {
    const larger = viewOf(this.allocate(Math.max(least, this.buffer.length * 2)))
    this.buffer.copy(larger, 0, 0, this.length)
    this.buffer = larger
  }
}

function viewOf({ buffer, byteOffset, byteLength }: Uint8Array): Buffer {
  return Buffer.from(buffer, byteOffset, byteLength)
}

/** Buffers in turn: one is filled while those before it are written. */
export class BufferPool {
  private readonly buffers: readonly ReusedBuffer[]
  private turn = 0

  constructor(count: number, allocate: Allocate = (size) => Buffer.allocUnsafe(size)) {
    this.buffers = Array.from({ length: count }, () => new ReusedBuffer(allocate))
  }

  next(): ReusedBuffer {
    this.turn = (this.turn + 1) % this.buffers.length
    const buffer = this.buffers[this.turn] ?? new ReusedBuffer((size) => Buffer.allocUnsafe(size))
    buffer.clear()
    return buffer
  }
}
