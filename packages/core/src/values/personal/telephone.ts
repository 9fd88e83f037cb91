import { isSupportedCountry, parsePhoneNumberFromString } from 'libphonenumber-js/min'
import { defined } from '../../invariant.js'
import { isBookNumber } from './check-digits.js'

/** Digits with little between them, after nothing that would make them part of a longer identifier. */
const CANDIDATE = /(?<![\p{L}\p{N}_/.,:#-])(?:\+|\(\+?)?\d(?:[ ().\u00a0/-]{0,3}\d){6,17}(?![\p{L}\p{N}_-]|[.,:/]\d)/gu
/** A group of digits with what stands directly around it. */
const GROUP = /[+(]*\d+\)?/g
const MOST_GROUPS = 7

/** Whether a country's telephone numbers are known, by its two letters. */
export const isCountry = isSupportedCountry

/** A telephone number in a text, half open. */
export interface TelephoneNumber {
  readonly start: number
  readonly end: number
  /** From 0 to 1: how certain it is. */
  readonly score: number
}

/** The telephone numbers of a text, as written in `country`, or with the code of any country. */
export function telephoneNumbersIn(text: string, country: string | undefined): TelephoneNumber[] {
  return [...text.matchAll(CANDIDATE)].flatMap((match) => within(match[0], match.index, country))
}

/** A number may stand beside others: the longest run of groups that is a telephone number counts, from the left. */
function within(text: string, offset: number, country: string | undefined): TelephoneNumber[] {
  const groups = [...text.matchAll(GROUP)].map(({ 0: digits, index }) => ({ start: index, end: index + digits.length }))
  const numbers: TelephoneNumber[] = []
  for (let first = 0; first < groups.length; first++) {
    const { start } = defined(groups[first])
    // Within a run, another number begins only after a space, with a plus, a bracket or a zero.
    if (first > 0 && !(text[start - 1] === ' ' && /[+(0]/.test(text.charAt(start)))) continue
    for (let last = Math.min(groups.length, first + MOST_GROUPS) - 1; last >= first; last--) {
      const { end } = defined(groups[last])
      if (last + 1 < groups.length && text[end] !== ' ') continue
      const score = scoreOf(text.slice(start, end), country)
      if (score === 0) continue
      numbers.push({ start: offset + start, end: offset + end, score })
      first = last
      break
    }
  }
  return numbers
}

/** Dates, with or without a time, and decimals, such as coordinates. */
const DATES_AND_DECIMALS = [
  /^\d{4}([-/. ])\d{1,2}\1\d{1,2}(?:[ T-]+\d[\d .:-]*)?$/,
  /^\d{1,2}([-/. ])\d{1,2}\1\d{2,4}(?:[ -]+\d[\d ./:-]*)?$/,
  /^\d+\.\d+(?: -?\d+\.\d+)*$/,
]
/** Years, amounts, addresses of machines, and short numbers in a row. */
const OTHERS = [
  ...DATES_AND_DECIMALS,
  /^\d{4}(?:[ /-]+\d{2,4}){1,3}$/,
  /^[1-9]\d{0,2}(?:[ .\u00a0]\d{3})+$/,
  /^\d{1,3}(?:\.\d{1,3}){3}$/,
  /^(?:\d{1,2}[ ./-]?)+\d?$/,
]

function scoreOf(written: string, country: string | undefined): number {
  const digits = written.replace(/\D/g, '')
  if (digits.length < 7 || digits.length > 17) return 0
  const international = /^\(?\+/.test(written) ? written : /^00[1-9]/.test(written) ? `+${written.slice(2)}` : undefined
  if (international !== undefined) {
    const number = parsePhoneNumberFromString(international.replace('(0)', ' '))
    if (!number?.isPossible()) return 0
    if (written.startsWith('0') && digits === written && !number.isValid()) return 0.3
    return number.isValid() ? 1 : 0.9
  }
  const isGrouped = /\d\D+\d/.test(written)
  const hasTrunk = /^\(?0[1-9]/.test(written)
  if (isBookNumber(written) || (hasTrunk ? DATES_AND_DECIMALS : OTHERS).some((other) => other.test(written))) return 0
  const number = country !== undefined && isCountry(country) ? parsePhoneNumberFromString(written, country) : undefined
  if (number?.isValid()) return hasTrunk || written.startsWith('(') ? 0.9 : isGrouped ? 0.6 : 0.3
  if (number?.isPossible() && (hasTrunk || written.startsWith('('))) return isGrouped ? 0.7 : 0.5
  // A number of a country that is not known, in national notation.
  if (hasTrunk && digits.length >= 9 && digits.length <= 12) return isGrouped ? 0.5 : 0.4
  return 0
}
