import { problem, type Report } from '../problems/problem.js'
import type { Span } from '../source/source.js'

/** The path that `path` means in `file`, both from the library's folder, with `..` resolved; undefined if it leaves the folder. */
function pathInLibrary(file: string, path: string): string | undefined {
  if (/^(?:[A-Za-z]:|[\\/])/.test(path)) return undefined
  const steps = file.split('/').slice(0, -1)
  for (const step of path.split(/[\\/]/)) {
    if (step === '..') {
      if (steps.length === 0) return undefined
      steps.pop()
    } else if (step !== '.' && step !== '') steps.push(step)
  }
  return steps.join('/')
}

/** A path in a file, from the library's folder; one that leaves it is reported. */
export function ownPath(text: string, span: Span, file: string, report: Report): string | undefined {
  const path = pathInLibrary(file, text)
  if (path === undefined) report(problem('path-leaves-library', { path: text }, span))
  return path
}
