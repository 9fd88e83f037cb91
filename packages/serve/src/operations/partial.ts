import type { Rendering } from 'dunelight'
import { endedNow, PersonalDetector, restorePlaceholders, Screens, textsOf } from 'dunelight/host'
import type { Wording } from '../wordings/wording.js'

/** What has come of a reply: the text from a position on, and for fields what it says so far. */
export interface Piece {
  readonly from: number
  readonly text: string
  readonly partial?: unknown
}

/** Milliseconds between two pieces. */
const PIECE_PAUSE = 25
/** Characters that wait at the end: what a screen looks for may only have begun. */
const KEPT_BACK = 80

/**
 * Passes on what has come of a reply, a few times in a second. A piece has gone through the screens of replies; as soon as one of them finds
 * something, no further piece is sent, and the answer itself says why.
 */
export class Pieces {
  private sent = ''
  private text = ''
  private clock: NodeJS.Timeout | undefined
  private isOver = false
  private readonly screens: Screens | undefined
  private readonly inputs: readonly string[]

  constructor(
    { library, prompt }: Wording,
    private readonly rendering: Rendering,
    private readonly tell: (piece: Piece) => void,
  ) {
    const { screens, personal, locale } = library.artefacts.library
    const own = screens.filter(({ side, action, finds }) => side === 'reply' && action !== 'note' && finds !== 'tokens')
    this.screens = own.length > 0 ? new Screens(own, { detector: new PersonalDetector(personal, locale) }) : undefined
    this.inputs = textsOf(rendering.turns)
    this.isFields = prompt.outputs.length > 0 && rendering.form?.shape.form === 'fields'
  }

  private readonly isFields: boolean

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
    if (this.screens?.find('reply', [this.text], this.inputs).length) {
      this.end()
      return
    }
    const text = restorePlaceholders(this.screens ? wholeWords(this.text, KEPT_BACK) : this.text, this.rendering.masked)
    // A correction begins anew.
    const from = text.startsWith(this.sent) ? this.sent.length : 0
    if (text === this.sent) return
    const partial = this.isFields ? this.rendering.read(endedNow(text)).partial : undefined
    this.sent = text
    this.tell({ from, text: text.slice(from), ...(partial !== undefined && { partial }) })
  }
}

/** A text without its last words, at least this many characters. */
function wholeWords(text: string, less: number): string {
  const most = text.length - less
  if (most <= 0) return ''
  const end = text.slice(0, most).search(/\s\S*$/)
  return end < 0 ? '' : text.slice(0, end)
}
