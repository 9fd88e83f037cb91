import type { Masks } from './formats/format.js'

const EMAIL = /[\p{L}\p{N}._%+'-]+@[\p{L}\p{N}-]+(?:\.[\p{L}\p{N}-]+)+/gu
const ACCOUNT = /\b[A-Za-z]{2}\d{2}(?:[ ]?[A-Za-z0-9]){11,30}\b/g
const CARD = /(?<![\p{L}\p{N}-])\d(?:[ -]?\d){12,18}(?![\p{L}\p{N}-])/gu
const PHONE =
  /(?<![\p{L}\p{N}/.-])(?:\+\d{1,3}[ /-]?)?(?:\(\d{1,5}\)[ /-]?)?\d{2,5}(?:[ /-]\d{2,5}){1,5}(?![\p{L}\p{N}/-])|(?<![\p{L}\p{N}])\+\d{7,15}(?!\d)|(?<![\p{L}\p{N}-])0\d{8,13}(?!\d)/gu
const DATE = /^(?:\d{4}[-/ ]\d{1,2}[-/ ]\d{1,2}|\d{1,2}[-/ ]\d{1,2}[-/ ]\d{2,4}|\d{4}[-/ ]\d{2,4}|\d{4})$/

/**
 * Replaces e-mail addresses, account, card and phone numbers by `[email 1]` and the like, the same for the same value throughout a
 * rendering; what was replaced is kept in `masks`. Longer kinds go first, so that a card's digits are not taken for a phone number.
 */
export function mask(text: string, masks: Masks): string {
  return text
    .replace(EMAIL, (text) => replacement('email', text, masks))
    .replace(ACCOUNT, (text) => takeAccount(text, masks))
    .replace(CARD, (text) => (passesLuhn(text) ? replacement('card', text, masks) : text))
    .replace(PHONE, (text) => (isPhone(text) ? replacement('phone', text, masks) : text))
}

function isPhone(text: string): boolean {
  const digits = text.replace(/\D/g, '').length
  return digits >= 7 && digits <= 15 && !DATE.test(text)
}

function takeAccount(text: string, masks: Masks): string {
  const account = accountIn(text)
  return account === undefined ? text : replacement('account', account, masks) + text.slice(account.length)
}

/** An account number may run on into the next words: the longest beginning that passes is taken. */
function accountIn(text: string): string | undefined {
  for (let end = text.length; end >= 15; end--) {
    const candidate = text.slice(0, end)
    if (/[A-Za-z0-9]$/.test(candidate) && !/^[A-Za-z0-9]/.test(text.slice(end)) && passesMod97(candidate)) return candidate
  }
  return undefined
}

/** Certainly a telephone number: it begins with a country code. Without one, any row of digits could be one. */
const ABROAD = /(?<![\p{L}\p{N}.,-])(?<!\p{N} )(?:\+|00)\d{1,3}[ ()/-]*\d(?:[ ()/-]*\d){5,12}(?!\p{N})/u

/** The kind of personal data in a text, if any: recognised more strictly than by `mask`, whose user knows the value. */
export function personalDataIn(text: string): 'e-mail address' | 'telephone number' | 'account number' | 'card number' | undefined {
  if (text.includes('@') && text.search(EMAIL) >= 0) return 'e-mail address'
  if (!LONG_NUMBER.test(text)) return undefined
  if (ABROAD.test(text)) return 'telephone number'
  if ([...text.matchAll(ACCOUNT)].some(([text]) => accountIn(text) !== undefined)) return 'account number'
  return [...text.matchAll(CARD)].some(([text]) => passesLuhn(text)) ? 'card number' : undefined
}

/** Most texts hold nothing that could be any of them: seven digits with little between. */
const LONG_NUMBER = /\d(?:[ ()/A-Za-z-]{0,3}\d){6}/

function replacement(kind: string, text: string, masks: Masks): string {
  let numbers = masks.numbers.get(kind)
  if (!numbers) masks.numbers.set(kind, (numbers = new Map<string, number>()))
  const folded = text.replace(/[\s()/-]/g, '').toLowerCase()
  const number = numbers.get(folded) ?? numbers.size + 1
  numbers.set(folded, number)
  const placeholder = `[${kind} ${number}]`
  if (!masks.found.has(placeholder)) masks.found.set(placeholder, text)
  return placeholder
}

/** The check digit of ISO/IEC 7812. */
function passesLuhn(text: string): boolean {
  const digits = text.replace(/\D/g, '')
  let sum = 0
  for (let i = 0; i < digits.length; i++) {
    const digit = Number(digits[digits.length - 1 - i])
    sum += i % 2 === 0 ? digit : digit > 4 ? digit * 2 - 9 : digit * 2
  }
  return digits.length >= 13 && digits.length <= 19 && sum % 10 === 0
}

/** The check digits of ISO 13616. */
function passesMod97(text: string): boolean {
  const compact = text.replace(/\s/g, '').toUpperCase()
  if (compact.length < 15 || compact.length > 34) return false
  let rest = 0
  for (const placeholder of compact.slice(4) + compact.slice(0, 4)) {
    const value = parseInt(placeholder, 36)
    rest = (rest * (value > 9 ? 100 : 10) + value) % 97
  }
  return rest === 1
}
