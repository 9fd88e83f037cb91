import { isSafeNumber, parse } from 'lossless-json'

/** Digits that a double may not hold: sixteen and more in a row. */
const LONG_NUMBER = /\d{16}/

/**
 * JSON as data. A whole number that a double does not hold digit for digit is its text: `"9007199254740993"`.
 *
 * @throws SyntaxError where it is no JSON.
 */
export function parseJson(text: string): unknown {
  const value = JSON.parse(text) as unknown
  return LONG_NUMBER.test(text) ? parse(text, undefined, exactNumber) : value
}

/** A number of JSON as a number, or as its text where a double would change its digits. */
export function exactNumber(text: string): number | string {
  return /^-?\d+$/.test(text) && !isSafeNumber(text) ? text : Number(text)
}
