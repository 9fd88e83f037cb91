import type { Rendering } from 'dunelight'
import { endedNow, restorePlaceholders, screensOf, textsOf } from 'dunelight/host'
import { Pieces, type TextPiece } from '@dunelight/node/host'
import type { Wording } from '../wordings/wording.js'

/** What has come of a reply: the text from a position on, and for fields what it says so far. */
export interface Piece extends TextPiece {
  readonly partial?: unknown
}

/** Characters that wait at the end: what a screen looks for may only have begun. */
const KEPT_BACK = 80

/**
 * The pieces of a reply that may be shown. A piece has gone through the screens of replies; as soon as one of them finds something, no further
 * piece is sent, and the answer itself says why.
 */
export function screenedPieces({ library }: Wording, rendering: Rendering, tell: (piece: Piece) => void): Pieces {
  const screens = screensOf(library.artefacts.library)
  const isGuarded = screens.guard('reply')
  const inputs = textsOf(rendering.turns)
  const isFields = rendering.form?.shape.form === 'fields'
  return new Pieces(
    (piece, whole) => {
      const partial = isFields ? rendering.read(endedNow(whole)).partial : undefined
      tell({ ...piece, ...(partial !== undefined && { partial }) })
    },
    (text) => {
      if (isGuarded && screens.find('reply', [text], inputs).some(({ action }) => action !== 'note')) return undefined
      return restorePlaceholders(isGuarded ? withoutEnd(text, KEPT_BACK) : text, rendering.masked)
    },
  )
}

/** A text without its last words, at least this many characters. */
function withoutEnd(text: string, less: number): string {
  const most = text.length - less
  if (most <= 0) return ''
  const end = text.slice(0, most).search(/\s\S*$/)
  return end < 0 ? '' : text.slice(0, end)
}
