import { isAccountNumber, isCardNumber } from './check-digits.js'
import { telephoneNumbersIn } from './telephone.js'
import { wholeWords } from '../words.js'

/** The kinds of personal data, as placeholders name them. */
export const PERSONAL_KINDS = ['email', 'account', 'card', 'phone', 'name'] as const
export type PersonalKind = (typeof PERSONAL_KINDS)[number]

/** Personal data in a text, half open. */
export interface PersonalFinding {
  readonly kind: PersonalKind
  readonly start: number
  readonly end: number
  /** From 0 to 1: how certain it is. */
  readonly score: number
}

/** `personal-data:` of dunelight.yaml, with the library's country. */
export interface PersonalSettings {
  /** The country whose national telephone numbers are recognised, as two letters: `GB`. Default: the region of the locale. */
  readonly country: string | undefined
  /** Findings below this score are left alone. */
  readonly minScore: number
  /** Names and addresses to find, in any case. */
  readonly names: readonly string[]
}

export const DEFAULT_PERSONAL: PersonalSettings = { country: undefined, minScore: 0.5, names: [] }

const EMAIL = /(?<![\p{L}\p{N}._%+'-])[\p{L}\p{N}._%+'-]+@[\p{L}\p{N}-]+(?:\.[\p{L}\p{N}-]+)+/gu
const ACCOUNT = /\b[A-Za-z]{2}\d{2}(?:[ ]?[A-Za-z0-9]){11,30}\b/g
const CARD = /(?<![\p{L}\p{N}+-])[1-9](?:[ -]?\d){12,18}(?![\p{L}\p{N}-])/gu
/** Most texts contain nothing that could be any of the numbers: seven digits with little between. */
const LONG_NUMBER = /\d(?:[ ().\u00a0/A-Za-z-]{0,3}\d){6}/

/** Finds personal data in texts: the one place that decides what is personal, for `masked` and for screens. */
export class PersonalDetector {
  private readonly minScore: number
  private readonly country: string | undefined
  private readonly names: RegExp | undefined

  constructor({ country, minScore, names }: PersonalSettings, locale?: string) {
    this.minScore = minScore
    this.country = country ?? regionOf(locale)
    this.names = phrases(names)
  }

  /** What is found, in the order of the text. Of findings that overlap, the one with the safer pattern counts. */
  find(text: string): readonly PersonalFinding[] {
    const findings: PersonalFinding[] = []
    const add = (kind: PersonalKind, start: number, end: number, score: number) => {
      if (score >= this.minScore && !findings.some((other) => other.start < end && start < other.end))
        findings.push({ kind, start, end, score })
    }
    if (text.includes('@')) for (const { 0: address, index } of text.matchAll(EMAIL)) add('email', index, index + address.length, 1)
    if (LONG_NUMBER.test(text)) {
      const accounts = [...text.matchAll(ACCOUNT)].map(({ 0: candidate, index }) => ({ candidate, index }))
      for (const { candidate, index } of accounts) {
        const length = accountLength(candidate)
        if (length > 0) add('account', index, index + length, 1)
      }
      for (const { 0: digits, index } of text.matchAll(CARD)) if (isCardNumber(digits)) add('card', index, index + digits.length, 0.9)
      for (const { start, end, score } of telephoneNumbersIn(text, this.country)) {
        // Digits in the form of an account number are none of a telephone, also where a digit is wrong.
        if (!accounts.some(({ candidate, index }) => index < start && end <= index + candidate.length)) add('phone', start, end, score)
      }
    }
    if (this.names) for (const { 0: name, index } of text.matchAll(this.names)) add('name', index, index + name.length, 1)
    return findings.length > 1 ? findings.sort((a, b) => a.start - b.start) : findings
  }
}

/** A library's detector for each language, made when it is first needed. */
export function detectors(settings: PersonalSettings): (locale: string | undefined) => PersonalDetector {
  const made = new Map<string | undefined, PersonalDetector>()
  return (locale) => {
    let detector = made.get(locale)
    if (!detector) made.set(locale, (detector = new PersonalDetector(settings, locale)))
    return detector
  }
}

/** An account number may run on into the next words: the longest beginning that passes is taken. */
function accountLength(text: string): number {
  for (let end = text.length; end >= 15; end--) {
    const candidate = text.slice(0, end)
    if (/[A-Za-z0-9]$/.test(candidate) && !/^[A-Za-z0-9]/.test(text.slice(end)) && isAccountNumber(candidate)) return end
  }
  return 0
}

/** Whole words of any of the texts, in any case and with any spaces; the longer ones first. */
export function phrases(texts: readonly string[]): RegExp | undefined {
  const literals = [...new Set(texts.map((text) => text.trim()))].filter((text) => text.length > 1).sort((a, b) => b.length - a.length)
  return literals.length === 0 ? undefined : wholeWords(literals, 'giu')
}

/** A text without its case, as a pattern with the flags `iu` compares: "ſ" is "s", and "ς" is "σ". */
export function foldCase(text: string): string {
  return text.toLowerCase().toUpperCase()
}

const regions = new Map<string, string | undefined>()

/** The region of a language tag, or the one where most of its speakers live. */
function regionOf(locale: string | undefined): string | undefined {
  if (locale === undefined) return undefined
  if (!regions.has(locale)) regions.set(locale, new Intl.Locale(locale).maximize().region)
  return regions.get(locale)
}
