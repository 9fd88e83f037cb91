/** The end of a date-time with its offset from UTC. */
const OFFSET = /(?:Z|[+-]\d{2}:?\d{2})$/i

/**
 * A date-time with the date and time that a person typed, and the offset that it had; UTC if it had none. An emptied one is missing.
 *
 * @param typed `2026-04-01T14:05`, with or without seconds.
 */
export function withLocalTime(before: string, typed: string): string | null {
  if (typed === '') return null
  const offset = OFFSET.exec(before)?.[0] ?? 'Z'
  return `${typed}${/T\d{2}:\d{2}$/.test(typed) ? ':00' : ''}${offset}`
}
