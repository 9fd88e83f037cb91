import { problem, type Report } from '../problems/problem.js'
import type { Source } from '../source/source.js'

/** Shapes of access keys: a telling prefix with a long tail of mixed signs, and private key blocks. */
const SHAPES = [
  /-----BEGIN [A-Z ]*PRIVATE KEY-----/g,
  /\b(?:sk|pk|rk|key|tok|pat|ghp|gho|xox[abp])[-_](?=[A-Za-z_-]*\d)(?=[\w-]*[A-Z])[\w-]{24,}/g,
  /\bAKIA[0-9A-Z]{16}\b/g,
]

/** Keys come from the environment only; one in a library's file is an error, wherever it stands. */
export function reportSecrets(file: Source, report: Report): void {
  for (const shape of SHAPES) {
    for (const match of file.text.matchAll(shape))
      report(problem('secret-in-text', {}, file.span(match.index, match.index + Math.min(match[0].length, 12))))
  }
}
