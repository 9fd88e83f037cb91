import { problem, type Report } from '../problems/problem.js'
import { keysInFile } from '../source/key-shapes.js'
import type { Source } from '../source/source.js'

/** Keys come from the environment only; a key anywhere in a library's file is an error. */
export function reportSecrets(file: Source, report: Report): void {
  for (const { start, end } of keysInFile(file.text)) report(problem('secret-in-text', {}, file.span(start, Math.min(end, start + 12))))
}
