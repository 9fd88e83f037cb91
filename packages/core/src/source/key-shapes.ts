/** Shapes of access keys: a telling prefix with a long tail of mixed signs, and private key blocks. */
export const KEY_SHAPES: readonly RegExp[] = [
  /-----BEGIN [A-Z ]*PRIVATE KEY-----/g,
  /\b(?:sk|pk|rk|key|tok|pat|ghp|gho|xox[abp])[-_](?=[A-Za-z_-]*\d)(?=[\w-]*[A-Z])[\w-]{24,}/g,
  /\bAKIA[0-9A-Z]{16}\b/g,
]

/** A text in which no key can be read; every other sign keeps its place. */
export function withoutKeys(text: string): string {
  return KEY_SHAPES.reduce((rest, shape) => rest.replace(shape, (key) => '•'.repeat(key.length)), text)
}
