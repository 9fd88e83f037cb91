/** Names (language §1.6): a letter or `_`, then letters, marks, digits, `_` and `-`; compared in NFC. */
export const NAME = String.raw`[\p{L}_][\p{L}\p{M}\p{Nd}_-]*`

const whole = new RegExp(`^${NAME}$`, 'u')

export function isName(text: string): boolean {
  return whole.test(text)
}

/** Words of the language: no variable, loop name or position may be called so. Fields may. */
export const RESERVED: ReadonlySet<string> = new Set(
  'when otherwise each in keep joined use with vary instead untouched aside end is not has and or as empty true false'.split(' '),
)
