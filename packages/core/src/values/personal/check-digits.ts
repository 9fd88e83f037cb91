/** The check digit of payment cards: ISO/IEC 7812. */
export function isCardNumber(text: string): boolean {
  const digits = text.replace(/\D/g, '')
  let sum = 0
  for (let i = 0; i < digits.length; i++) {
    const digit = Number(digits[digits.length - 1 - i])
    sum += i % 2 === 0 ? digit : digit > 4 ? digit * 2 - 9 : digit * 2
  }
  return digits.length >= 13 && digits.length <= 19 && sum % 10 === 0
}

/** The check digits of bank accounts: ISO 13616. */
export function isAccountNumber(text: string): boolean {
  const compact = text.replace(/\s/g, '').toUpperCase()
  if (compact.length < 15 || compact.length > 34) return false
  let rest = 0
  for (const character of compact.slice(4) + compact.slice(0, 4)) {
    const value = parseInt(character, 36)
    rest = (rest * (value > 9 ? 100 : 10) + value) % 97
  }
  return rest === 1
}

/** The check digits of book numbers: ISO 2108, with ten or thirteen digits. */
export function isBookNumber(text: string): boolean {
  const digits = text.replace(/[^\dX]/gi, '').toUpperCase()
  if (digits.length === 13) {
    const sum = [...digits].reduce((total, digit, i) => total + Number(digit) * (i % 2 === 0 ? 1 : 3), 0)
    return /^97[89]/.test(digits) && sum % 10 === 0
  }
  const sum = [...digits].reduce((total, digit, i) => total + (digit === 'X' ? 10 : Number(digit)) * (10 - i), 0)
  return digits.length === 10 && sum % 11 === 0
}
