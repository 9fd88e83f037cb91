const FIRST = 1024 * 1024

/** Room for bytes that is filled, handed on, and filled again: a run's lines would otherwise be a gigabyte of rubbish to collect. */
class Room {
  private buffer: Buffer
  private length = 0

  constructor(private readonly make: MakeRoom) {
    this.buffer = viewOf(make(FIRST))
  }

  /** Adds a text of one sign for each byte; gives its length. */
  add(text: string): number {
    const end = this.length + text.length
    if (end > this.buffer.length) this.grow(end)
    this.buffer.write(text, this.length, 'latin1')
    this.length = end
    return text.length
  }

  get bytes(): Uint8Array {
    return this.buffer.subarray(0, this.length)
  }

  empty(): void {
    this.length = 0
  }

  private grow(least: number): void {
    const larger = viewOf(this.make(Math.max(least, this.buffer.length * 2)))
    this.buffer.copy(larger, 0, 0, this.length)
    this.buffer = larger
  }
}

type MakeRoom = (size: number) => Uint8Array

function viewOf({ buffer, byteOffset, byteLength }: Uint8Array): Buffer {
  return Buffer.from(buffer, byteOffset, byteLength)
}

/** Room that another thread reads where it stands: what is handed over otherwise is new for each block, and let go by nobody in time. */
export const sharedRoom: MakeRoom = (size) => new Uint8Array(new SharedArrayBuffer(size))

/** Rooms in turn: one is filled while those before are written. */
export class Rooms {
  private readonly rooms: readonly Room[]
  private turn = 0

  constructor(count: number, make: MakeRoom = (size) => Buffer.allocUnsafe(size)) {
    this.rooms = Array.from({ length: count }, () => new Room(make))
  }

  next(): Room {
    this.turn = (this.turn + 1) % this.rooms.length
    const room = this.rooms[this.turn]!
    room.empty()
    return room
  }
}
