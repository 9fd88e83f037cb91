import { foldCase, type PersonalDetector } from './detector.js'

/**
 * `[email 1]` and the like, as models write them back: other case, other spacing, an escaped bracket. Words and digits are bounded, since a
 * letter of a word may also be a digit.
 */
const PLACEHOLDER = /\\?\[\s*([\p{L}\p{N}]{1,100}(?:[-_ ][\p{L}\p{N}]{1,100})*?)[\s_-]*(\d{1,9})\s*\\?\]/gu

/** The placeholders of one rendering: the same for the same value. */
export class Placeholders {
  /** Placeholder → the first text that it replaced. */
  readonly originals = new Map<string, string>()
  private readonly numbers = new Map<string, Map<string, number>>()
  private taken: ReadonlySet<string> | undefined

  /** @param values The values of the rendering: a placeholder that is in one of them is not used for anything else. */
  constructor(
    readonly detector: PersonalDetector,
    private readonly values: readonly unknown[],
  ) {}

  /** Replaces the personal data of a text. */
  mask(text: string): string {
    let out = ''
    let position = 0
    for (const { kind, start, end } of this.detector.find(text)) {
      out += text.slice(position, start) + this.placeholderFor(kind, text.slice(start, end))
      position = end
    }
    return out + text.slice(position)
  }

  placeholderFor(kind: string, original: string): string {
    let numbers = this.numbers.get(kind)
    if (!numbers) this.numbers.set(kind, (numbers = new Map<string, number>()))
    const folded = foldCase(original.replace(/[\s()/-]/g, ''))
    let number = numbers.get(folded)
    if (number === undefined) {
      number = Math.max(0, ...numbers.values()) + 1
      this.taken ??= placeholdersIn(this.values)
      while (this.taken.has(`${kind} ${number}`)) number++
      numbers.set(folded, number)
    }
    const placeholder = `[${kind} ${number}]`
    if (!this.originals.has(placeholder)) this.originals.set(placeholder, original)
    return placeholder
  }
}

/** Puts originals in the place of their placeholders; in JSON they are escaped. */
export function restorePlaceholders(text: string, originals: Readonly<Record<string, string>>): string {
  const known = new Map(Object.entries(originals).map(([placeholder, original]) => [keyOf(placeholder), original]))
  if (known.size === 0) return text
  const isJson = /^\s*(?:```\w*\s*)?[[{]\s*["[{]/.test(text)
  return text.replace(PLACEHOLDER, (written, kind: string, number: string) => {
    const original = known.get(`${fold(kind)} ${Number(number)}`)
    return original === undefined ? written : isJson ? JSON.stringify(original).slice(1, -1) : original
  })
}

function keyOf(placeholder: string): string {
  const position = placeholder.lastIndexOf(' ')
  return `${fold(placeholder.slice(1, position))} ${Number(placeholder.slice(position + 1, -1))}`
}

function fold(kind: string): string {
  return kind.toLowerCase().replace(/[\s_-]+/g, '-')
}

/** The placeholders that are in values, as `email 1`. */
function placeholdersIn(value: unknown, names = new Set<string>()): Set<string> {
  if (typeof value === 'string') {
    if (value.includes('[')) for (const [, kind, number] of value.matchAll(PLACEHOLDER)) names.add(`${fold(kind ?? '')} ${Number(number)}`)
  } else if (typeof value === 'object' && value !== null && !ArrayBuffer.isView(value))
    for (const item of Object.values(value)) placeholdersIn(item, names)
  return names
}
