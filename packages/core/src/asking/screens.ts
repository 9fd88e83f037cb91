import type { ScreenDeed, ScreenModel } from '../artefacts/screens.js'
import { KEY_SHAPES } from '../source/key-shapes.js'
import { personalDataIn } from '../values/mask.js'
import { Copied } from './copied.js'

/** What a screen found: in words that do not repeat what should not be read. */
export interface ScreenFinding {
  readonly screen: string
  readonly side: ScreenModel['side']
  readonly deed: ScreenDeed
  readonly says: string
}

/** Looks at texts; `sent` is what the model was told before. */
type Look = (texts: readonly string[], sent: readonly string[]) => string | undefined

/** The screens of a library, ready to look at one question after the other. */
export class Screens {
  private readonly all: readonly { readonly screen: ScreenModel; readonly look: Look }[]

  constructor(screens: readonly ScreenModel[], countTokens: (text: string) => number = () => 0) {
    this.all = screens.map((screen) => ({ screen, look: lookOf(screen, countTokens) }))
  }

  /** What the screens of one side find. */
  find(side: ScreenModel['side'], texts: readonly string[], sent: readonly string[] = []): ScreenFinding[] {
    return this.all.flatMap(({ screen: { name, side: own, deed }, look }) => {
      const says = own === side ? look(texts, sent) : undefined
      return says === undefined ? [] : [{ screen: name, side, deed, says }]
    })
  }
}

function lookOf({ finds, words, most }: ScreenModel, countTokens: (text: string) => number): Look {
  switch (finds) {
    case 'personal-data':
      return (texts) => {
        const found = first(texts, personalDataIn)
        return found && (/^[aeiou]/.test(found) ? `an ${found}` : `a ${found}`)
      }
    case 'key-shaped':
      return (texts) =>
        texts.some((text) => KEY_SHAPES.some((shape) => text.search(shape) >= 0)) ? 'a text that has the shape of an access key' : undefined
    case 'words': {
      const shapes = words.map((word) => [word, wholeWord(word)] as const)
      return (texts) => {
        const found = shapes.find(([, shape]) => texts.some((text) => shape.test(text)))
        return found && `the word "${found[0]}"`
      }
    }
    case 'tokens':
      return (texts) => {
        // No token is shorter than a byte, and beyond ASCII no sign longer than three of them for each of its halves.
        if (texts.reduce((sum, text) => sum + (BEYOND_ASCII.test(text) ? 3 : 1) * text.length, 0) <= most) return undefined
        const count = texts.reduce((sum, text) => sum + countTokens(text), 0)
        return count > most ? `${count} tokens, more than ${most}` : undefined
      }
    case 'copied': {
      const copied = new Copied(most)
      return (texts, sent) => {
        const run = copied.find(texts, sent)
        return run && `${most} words as they stood in the prompt: "${run}"`
      }
    }
  }
}

// eslint-disable-next-line no-control-regex -- all signs of ASCII, those that are not printed too
const BEYOND_ASCII = /[^\u0000-\u007f]/

function wholeWord(word: string): RegExp {
  const literal = word
    .trim()
    .replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
    .replace(/\s+/g, '\\s+')
  return new RegExp(`(?<![\\p{L}\\p{N}])${literal}(?![\\p{L}\\p{N}])`, 'iu')
}

function first<T>(texts: readonly string[], look: (text: string) => T | undefined): T | undefined {
  for (const text of texts) {
    const found = look(text)
    if (found !== undefined) return found
  }
  return undefined
}
