/** Numbers of the language: a double, a bigint, or decimal text beyond a double's precision. */
export type Numeric = number | bigint | string

const DECIMAL = /^[+-]?(?:\d+(?:\.\d*)?|\.\d+)$/

export function isDecimal(text: string): boolean {
  return DECIMAL.test(text)
}

/**
 * The shortest exact decimal: no grouping, no exponent, `-0` as `0`.
 *
 * @example plainNumber(1e21); // => '1000000000000000000000'
 * @example plainNumber(1.5e-7); // => '0.00000015'
 */
export function plainNumber(value: Numeric): string {
  if (typeof value === 'string') return tidyDecimal(value)
  const text = String(value)
  if (typeof value === 'bigint') return text
  if (Object.is(value, -0)) return '0'
  return text.includes('e') ? withoutExponent(text) : text
}

function withoutExponent(text: string): string {
  const [mantissa = '', exponent = '0'] = text.split('e')
  const negative = mantissa.startsWith('-')
  const [whole = '', fraction = ''] = mantissa.replace('-', '').split('.')
  const shift = Number(exponent)
  const digits = whole + fraction
  const point = whole.length + shift
  const body =
    point <= 0
      ? `0.${'0'.repeat(-point)}${digits}`
      : point >= digits.length
        ? digits + '0'.repeat(point - digits.length)
        : `${digits.slice(0, point)}.${digits.slice(point)}`
  return (negative ? '-' : '') + body
}

/** Decimal text without redundant characters: `+007.50` is `7.5`. */
function tidyDecimal(text: string): string {
  const negative = text.startsWith('-')
  const [whole = '', fraction = ''] = text.replace(/^[+-]/, '').split('.')
  const head = whole.replace(/^0+(?=\d)/, '') || '0'
  const tail = fraction.replace(/0+$/, '')
  const body = tail ? `${head}.${tail}` : head
  return negative && body !== '0' ? `-${body}` : body
}

/**
 * The decimal rounded to `digits` after the point, halves away from zero, on the shortest decimal form: 1.005 rounds to 1.01.
 *
 * @example roundDecimal(1.005, 2); // => '1.01'
 * @example roundDecimal(-2.5, 0); // => '-3'
 */
export function roundDecimal(value: Numeric, digits: number): string {
  const text = plainNumber(value)
  const negative = text.startsWith('-')
  const [whole = '0', fraction = ''] = text.replace('-', '').split('.')
  if (fraction.length <= digits) return text + (digits > 0 ? `${fraction ? '' : '.'}${'0'.repeat(digits - fraction.length)}` : '')
  let scaled = BigInt(whole + fraction.slice(0, digits))
  if (fraction.charCodeAt(digits) >= 53) scaled++
  const body = scaled.toString().padStart(digits + 1, '0')
  const rounded = digits > 0 ? `${body.slice(0, -digits)}.${body.slice(-digits)}` : body
  return negative && scaled !== 0n ? `-${rounded}` : rounded
}

/** A whole number that a double represents exactly, grouped: the usual case, without a check of its digits. */
export function groupedInteger(value: number): string {
  if (value < 0) return `-${groupedInteger(-value)}`
  if (value < 1000) return `${value}`
  const rest = value % 1000
  return `${groupedInteger((value - rest) / 1000)},${rest < 10 ? '00' : rest < 100 ? '0' : ''}${rest}`
}

/** A comma between each three digits before the point. */
export function grouped(decimal: string): string {
  const [whole = '', fraction] = decimal.split('.')
  const head = whole.replace(/\B(?=(\d{3})+$)/g, ',')
  return fraction === undefined ? head : `${head}.${fraction}`
}

/** Below zero where a is smaller. Decimal text compares exactly with decimal text. */
export function compareNumbers(a: Numeric, b: Numeric): number {
  if (typeof a === 'number' && typeof b === 'number') return a - b
  const [x, y] = alignDecimals(plainNumber(a), plainNumber(b))
  return x < y ? -1 : x > y ? 1 : 0
}

function alignDecimals(a: string, b: string): [bigint, bigint] {
  const [wholeA = '', fractionA = ''] = a.split('.')
  const [wholeB = '', fractionB = ''] = b.split('.')
  const length = Math.max(fractionA.length, fractionB.length)
  return [BigInt(wholeA + fractionA.padEnd(length, '0')), BigInt(wholeB + fractionB.padEnd(length, '0'))]
}
