import type { LibraryModel } from '../artefacts/artefacts.js'
import type { ScreenAction, ScreenModel } from '../artefacts/screens.js'
import { problem, ProblemError, type Problem } from '../problems/problem.js'
import { holdsKey } from '../source/key-shapes.js'
import { DEFAULT_PERSONAL, PersonalDetector, type PersonalKind } from '../values/personal/detector.js'
import { wholeWords } from '../values/words.js'
import { rememberLong } from '../values/remember.js'
import { Copied } from './copied.js'

/** What a screen found: in words that do not repeat what should not be read. */
export interface ScreenFinding {
  readonly screen: string
  readonly side: ScreenModel['side']
  readonly action: ScreenAction
  readonly message: string
  /** From 0 to 1: how certain it is. */
  readonly score: number
}

/** Checks texts; `sent` is what the model was sent before. */
type Finder = (texts: readonly string[], sent: readonly string[], countTokens: CountTokens) => Found | undefined

type CountTokens = (text: string) => number

/** A finding in words, with its score. */
interface Found {
  readonly message: string
  readonly score: number
}

/** The screens of a library, prepared for many questions. */
export class Screens {
  private readonly all: readonly { readonly screen: ScreenModel; readonly find: Finder }[]

  constructor(screens: readonly ScreenModel[], detector = new PersonalDetector(DEFAULT_PERSONAL)) {
    this.all = screens.map((screen) => ({ screen, find: finderOf(screen, detector) }))
  }

  /** Whether anything in the texts of one side can keep them from being used. */
  guard(side: ScreenModel['side']): boolean {
    return this.all.some(({ screen }) => screen.side === side && screen.action !== 'note' && screen.finds !== 'tokens')
  }

  /** Whether tokens have to be counted before these texts are checked. */
  needTokenCounts(side: ScreenModel['side'], texts: readonly string[]): boolean {
    return this.all.some(({ screen }) => screen.side === side && screen.finds === 'tokens' && mayExceed(texts, screen.limit))
  }

  /** What the screens of one side find. */
  find(
    side: ScreenModel['side'],
    texts: readonly string[],
    sent: readonly string[] = [],
    countTokens: CountTokens = () => 0,
  ): ScreenFinding[] {
    return this.all.flatMap(({ screen: { name, side: own, action }, find }) => {
      const finding = own === side ? find(texts, sent, countTokens) : undefined
      return finding ? [{ screen: name, side, action, ...finding }] : []
    })
  }

  /**
   * What the screens of one side find, by what follows from it: problems that refuse the text, and notes.
   *
   * @throws ScreenStop where everything is to stop.
   */
  sorted(
    side: ScreenModel['side'],
    texts: readonly string[],
    sent: readonly string[] = [],
    countTokens?: CountTokens,
  ): { readonly refused: readonly Problem[]; readonly noted: readonly ScreenFinding[] } {
    const findings = this.find(side, texts, sent, countTokens)
    const problemsFor = (action: ScreenAction) =>
      findings
        .filter((finding) => finding.action === action)
        .map(({ screen, message }) => problem('screen-found', { screen, side, detail: message }))
    const stopping = problemsFor('stop')
    if (stopping.length > 0) throw new ScreenStop(stopping)
    return { refused: problemsFor('reject'), noted: findings.filter(({ action }) => action === 'note') }
  }
}

/** A screen found what nothing may be asked with. */
export class ScreenStop extends ProblemError {
  override readonly name: string = 'ScreenStop'
}

const ofLibraries = new WeakMap<LibraryModel, Screens>()

/** The screens of a library: they are prepared once. */
export function screensOf(library: LibraryModel): Screens {
  const { screens, personal, locale } = library
  let prepared = ofLibraries.get(library)
  if (!prepared) ofLibraries.set(library, (prepared = new Screens(screens, new PersonalDetector(personal, locale))))
  return prepared
}

function finderOf({ finds, words, limit }: ScreenModel, detector: PersonalDetector): Finder {
  switch (finds) {
    case 'personal-data': {
      const find = rememberLong((text) => surest(detector.find(text)))
      return (texts) => {
        const finding = first(texts, find)
        return finding && { message: PERSONAL_WORDS[finding.kind], score: finding.score }
      }
    }
    case 'key-shaped':
      return (texts) => (texts.some(keyShaped) ? { message: 'a text that has the shape of an access key', score: 0.9 } : undefined)
    case 'words': {
      const shapes = words.map((word) => [word, wholeWords([word], 'iu')] as const)
      const find = rememberLong((text) => shapes.find(([, shape]) => shape.test(text))?.[0] ?? null)
      return (texts) => {
        const text = first(texts, find)
        return text === undefined ? undefined : certain(`the word "${text}"`)
      }
    }
    case 'tokens':
      return (texts, _, countTokens) => {
        if (!mayExceed(texts, limit)) return undefined
        const count = texts.reduce((sum, text) => sum + countTokens(text), 0)
        return count > limit ? certain(`${count} tokens, more than ${limit}`) : undefined
      }
    case 'copied': {
      const copied = new Copied(limit)
      return (texts, sent) => {
        const run = copied.find(texts, sent)
        return run === undefined ? undefined : certain(`${limit} words copied from the prompt: "${run}"`)
      }
    }
  }
}

const PERSONAL_WORDS: Readonly<Record<PersonalKind, string>> = {
  email: 'an e-mail address',
  account: 'an account number',
  card: 'a card number',
  phone: 'a telephone number',
  name: 'a listed name',
}

function surest<F extends { readonly score: number }>(findings: readonly F[]): F | null {
  return findings.reduce<F | null>((best, finding) => (best && best.score >= finding.score ? best : finding), null)
}

function certain(message: string): Found {
  return { message, score: 1 }
}

const keyShaped = rememberLong(holdsKey)

// eslint-disable-next-line no-control-regex -- all characters of ASCII, those that are not printed too
const BEYOND_ASCII = /[^\u0000-\u007f]/

/** No token is shorter than a byte, and beyond ASCII no character longer than three of them for each of its halves. */
function mayExceed(texts: readonly string[], tokens: number): boolean {
  return texts.reduce((sum, text) => sum + mostTokens(text), 0) > tokens
}

const mostTokens = rememberLong((text) => (BEYOND_ASCII.test(text) ? 3 : 1) * text.length)

function first<T>(texts: readonly string[], find: (text: string) => T | null): T | undefined {
  for (const text of texts) {
    const result = find(text)
    if (result !== null) return result
  }
  return undefined
}
