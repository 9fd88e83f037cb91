/** What has come of a text: everything from a position on. */
export interface TextPiece {
  readonly from: number
  readonly text: string
}

/** Milliseconds between two pieces. */
const PIECE_PAUSE = 25

/** Passes on what has come of a text, a few times in a second: what was passed on before is not sent again. */
export class Pieces {
  private sent = ''
  private text = ''
  private clock: NodeJS.Timeout | undefined
  private isOver = false

  /**
   * @param tell Hears a piece, and the whole of what it is the end of.
   * @param shown What may be shown of the text so far; undefined shows nothing of it any more.
   */
  constructor(
    private readonly tell: (piece: TextPiece, whole: string) => void,
    private readonly shown: (text: string) => string | undefined = (text) => text,
  ) {}

  hear(text: string): void {
    this.text = text
    if (!this.isOver) this.clock ??= setTimeout(() => this.pass(), PIECE_PAUSE)
  }

  /** No piece comes after this. */
  end(): void {
    this.isOver = true
    clearTimeout(this.clock)
  }

  private pass(): void {
    this.clock = undefined
    const text = this.shown(this.text)
    if (text === undefined) this.end()
    if (text === undefined || text === this.sent) return
    // Another try begins anew.
    const from = text.startsWith(this.sent) ? this.sent.length : 0
    this.sent = text
    this.tell({ from, text: text.slice(from) }, text)
  }
}
