import type { ScreenDeed, ScreenModel } from '../artefacts/screens.js'
import { KEY_SHAPES } from '../source/key-shapes.js'

/** What a screen found: in words that do not repeat what should not be read. */
export interface ScreenFinding {
  readonly screen: string
  readonly side: ScreenModel['side']
  readonly deed: ScreenDeed
  readonly says: string
}

/** What the screens of one side find. `sent`: what the model was told, for what must not be copied of it. */
export function screened(
  screens: readonly ScreenModel[],
  side: ScreenModel['side'],
  texts: readonly string[],
  { sent = [], countTokens }: { readonly sent?: readonly string[]; readonly countTokens?: (text: string) => number } = {},
): ScreenFinding[] {
  return screens.flatMap((screen) => {
    if (screen.side !== side) return []
    const says = lookFor(screen, texts, sent, countTokens)
    return says === undefined ? [] : [{ screen: screen.name, side, deed: screen.deed, says }]
  })
}

function lookFor(
  { finds, words, most }: ScreenModel,
  texts: readonly string[],
  sent: readonly string[],
  countTokens: ((text: string) => number) | undefined,
): string | undefined {
  switch (finds) {
    case 'personal-data':
      return first(texts, personalData)
    case 'key-shaped':
      return texts.some((text) => KEY_SHAPES.some((shape) => text.search(shape) >= 0))
        ? 'a text that has the shape of an access key'
        : undefined
    case 'words': {
      const shapes = words.map((word) => [word, wholeWord(word)] as const)
      const found = shapes.find(([, shape]) => texts.some((text) => shape.test(text)))
      return found && `the word "${found[0]}"`
    }
    case 'tokens': {
      const count = texts.reduce((sum, text) => sum + (countTokens?.(text) ?? 0), 0)
      return count > most ? `${count} tokens, more than ${most}` : undefined
    }
    case 'copied':
      return copiedFrom(sent, texts, most)
  }
}

const MAIL = /[\p{L}\p{N}._%+-]+@[\p{L}\p{N}-]+(?:\.[\p{L}\p{N}-]+)*\.\p{L}{2,}/u
const PHONE = /(?<![\p{L}\p{N}.,-])(?:\+|00)\d{1,3}[ ()/-]*\d(?:[ ()/-]*\d){5,12}(?!\p{N})/u
const ACCOUNT = /\b[A-Z]{2}\d{2}(?: ?[A-Z0-9]{4}){3,7}(?: ?[A-Z0-9]{1,3})?\b/
const CARD = /(?<!\d)\d(?:[ -]?\d){12,18}(?!\d)/g

function personalData(text: string): string | undefined {
  if (MAIL.test(text)) return 'an e-mail address'
  if (PHONE.test(text)) return 'a telephone number'
  if (ACCOUNT.test(text)) return 'an account number'
  return [...text.matchAll(CARD)].some(([digits]) => hasCardSum(digits.replace(/\D/g, ''))) ? 'a card number' : undefined
}

/** The check digit that numbers of cards end in. */
function hasCardSum(digits: string): boolean {
  let sum = 0
  for (let i = 0; i < digits.length; i++) {
    const digit = Number(digits[digits.length - 1 - i])
    const counted = i % 2 === 0 ? digit : digit * 2
    sum += counted > 9 ? counted - 9 : counted
  }
  return sum % 10 === 0
}

function wholeWord(word: string): RegExp {
  const literal = word
    .trim()
    .replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
    .replace(/\s+/g, '\\s+')
  return new RegExp(`(?<![\\p{L}\\p{N}])${literal}(?![\\p{L}\\p{N}])`, 'iu')
}

/** So many words in a row that stand in what was sent. */
function copiedFrom(sent: readonly string[], texts: readonly string[], most: number): string | undefined {
  const runs = new Set<string>()
  for (const text of sent) for (const run of runsOf(wordsIn(text), most)) runs.add(run)
  for (const text of texts)
    for (const run of runsOf(wordsIn(text), most)) if (runs.has(run)) return `${most} words as they stood in the prompt: "${run}"`
  return undefined
}

function wordsIn(text: string): string[] {
  return text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? []
}

function* runsOf(words: readonly string[], length: number): Generator<string> {
  for (let at = 0; at + length <= words.length; at++) yield words.slice(at, at + length).join(' ')
}

function first(texts: readonly string[], look: (text: string) => string | undefined): string | undefined {
  for (const text of texts) {
    const found = look(text)
    if (found !== undefined) return found
  }
  return undefined
}
