export type Severity = 'error' | 'warning' | 'info'

/** The registry's entry for one kind of problem. `D` is the data that its sentence is made from. */
export interface Code<D> {
  readonly severity: Severity
  /** One sentence. It never changes once published: people search for it. */
  readonly message: (data: D) => string
  /** The likeliest fix. */
  readonly hint?: (data: D) => string | undefined
  /** For the reference: when it comes up and why it matters. */
  readonly about: string
}

export function error<D>(about: string, message: (data: D) => string, hint?: (data: D) => string | undefined): Code<D> {
  return { severity: 'error', message, about, ...(hint && { hint }) }
}

export function warning<D>(about: string, message: (data: D) => string, hint?: (data: D) => string | undefined): Code<D> {
  return { ...error(about, message, hint), severity: 'warning' }
}

export function info<D>(about: string, message: (data: D) => string, hint?: (data: D) => string | undefined): Code<D> {
  return { ...error(about, message, hint), severity: 'info' }
}
