import { problem, type Report } from '../problems/problem.js'
import { KEY_SHAPES } from '../source/key-shapes.js'
import type { Source } from '../source/source.js'

/** Keys come from the environment only; one in a library's file is an error, wherever it stands. */
export function reportSecrets(file: Source, report: Report): void {
  for (const shape of KEY_SHAPES) {
    for (const match of file.text.matchAll(shape))
      report(problem('secret-in-text', {}, file.span(match.index, match.index + Math.min(match[0].length, 12))))
  }
}
