const FIRST = 1024 * 1024

/** Room for bytes that is filled, handed on, and filled again: a run's lines would otherwise be a gigabyte of rubbish to collect. */
class Room {
  private buffer = Buffer.allocUnsafe(FIRST)
  private length = 0

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
    const larger = Buffer.allocUnsafe(Math.max(least, this.buffer.length * 2))
    this.buffer.copy(larger, 0, 0, this.length)
    this.buffer = larger
  }
}

/** Two rooms in turn: one is written while the other is filled. */
export class Rooms {
  private readonly rooms = [new Room(), new Room()] as const
  private turn = 0

  next(): Room {
    this.turn = 1 - this.turn
    const room = this.rooms[this.turn]!
    room.empty()
    return room
  }
}
