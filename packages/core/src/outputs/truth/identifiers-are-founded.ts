import { doubt } from './doubt.js'
import type { TruthRule } from './facts.js'
import { foldedOnce, foldText } from '../fold.js'
import { placeOf } from '../must-say.js'

interface Kind {
  readonly what: string
  readonly pattern: RegExp
  /** What else makes it one. */
  readonly is?: (text: string) => boolean
  readonly fold?: (text: string) => string
}

/** Claims that are right only as they are, character by character; each kind with what makes no difference in it. */
const KINDS: readonly Kind[] = [
  {
    what: 'web address',
    pattern: /\b(?:https?:\/\/|www\.)[^\s<>"'`)\]}]+[^\s<>"'`)\]}.,;:!?]/giu,
    fold: (text) => text.replace(/^https?:\/\/|\/$/g, ''),
  },
  { what: 'e-mail address', pattern: /(?<![\p{L}\p{N}._%+-])[\p{L}\p{N}._%+-]+@[\p{L}\p{N}-]+(?:\.[\p{L}\p{N}-]+)+/gu },
  {
    what: 'time',
    pattern: /(?<![\p{L}\p{N}:.-])(?:[01]?\d|2[0-3]):[0-5]\d(?::[0-5]\d)?(?![\p{L}\p{N}:])/gu,
    fold: (text) => text.replace(/^0/, ''),
  },
  {
    what: 'identifier',
    pattern: /(?<![\p{L}\p{N}_/.@-])\p{Lu}[\p{L}\p{N}]*(?:[_./-][\p{L}\p{N}]+)*(?!@)/gu,
    is: (text) => /\p{N}/u.test(text),
  },
]

/** Most texts have none of them. */
const SOME = /\d|@|www\.|:\/\//i

/** A text with spaces in the place of its identifiers, addresses and times. */
export function withoutIdentifiers(text: string): string {
  if (!SOME.test(text)) return text
  return KINDS.reduce(
    (rest, { pattern, is }) => rest.replace(pattern, (claim) => (is?.(claim) === false ? claim : ' '.repeat(claim.length))),
    text,
  )
}

export const identifiersAreFounded: TruthRule = {
  name: 'identifiers-are-founded',
  check: (facts, report) => {
    for (const text of facts.claims) {
      if (!SOME.test(text)) continue
      for (const kind of KINDS) {
        for (const [claim] of text.matchAll(kind.pattern)) {
          if (kind.is?.(claim) === false || isIn(facts.sources, claim, kind)) continue
          report(() => doubt(isIn(facts.examples, claim, kind), kind.what, claim, facts))
        }
      }
    }
  },
}

/** Whether the same is among the inputs as a whole: MH-000 is not in MH-0007. */
function isIn(texts: readonly string[], claim: string, { pattern, fold = (text) => text }: Kind): boolean {
  const folded = fold(foldText(claim))
  return texts.some((text) => {
    const within = foldedOnce(text)
    if (!within.includes(folded)) return false
    return placeOf(within, folded) >= 0 || [...text.matchAll(pattern)].some(([other]) => fold(foldText(other)) === folded)
  })
}
