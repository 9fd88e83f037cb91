export {}

declare global {
  /** What every platform has, and the language itself does not: where the platform's own types are known, they are the whole of it. */
  interface AbortSignal {
    readonly aborted: boolean
  }
}
