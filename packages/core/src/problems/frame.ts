import { defined } from '../invariant.js'
import type { Problem } from './problem.js'
import { withoutKeys } from '../source/key-shapes.js'
import type { Span } from '../source/source.js'

/** How a frame's parts are coloured; each function gets the bare text. */
export interface Paint {
  readonly error: (text: string) => string
  readonly warning: (text: string) => string
  readonly dim: (text: string) => string
  readonly bold: (text: string) => string
}

const bare = (text: string) => text
/**
 * Formats without colours, for a file or a terminal that has none.
 *
 * @example
 * plainPaint.error('error') // => 'error'
 */
export const plainPaint: Paint = { error: bare, warning: bare, dim: bare, bold: bare }

const WINDOW = 100

/**
 * Prints the lines around a span, with the span underlined. Two lines of context before and after; long lines are cut.
 *
 * @param span - The span.
 * @param paint - Colours. Default: none.
 * @param mark - Colours the underline. Default: none.
 * @returns The code frame.
 * @example
 * frame({ source: new Source('note', 'Dear {nme}'), start: 5, end: 10 }) // => '1 | Dear {nme}\n  |      ^^^^^'
 */
export function frame(span: Span, paint: Paint = plainPaint, mark: (text: string) => string = bare): string {
  const { source } = span
  const file = source.file
  const start = source.fileOffset(span.start)
  const end = Math.max(start + 1, span.end > span.start ? source.fileOffset(span.end - 1) + 1 : start + 1)
  const starts = file.lineStarts()
  const line = source.place(span.start).line - 1
  const first = Math.max(0, line - 2)
  const last = Math.min(starts.length - 1, line + 2)
  const width = String(last + 1).length
  const rows: string[] = []
  for (let n = first; n <= last; n++) {
    const text = withoutKeys(file.text.slice(starts[n], starts[n + 1]).replace(/[\r\n]+$/, ''))
    if (n === last && n > line && text === '' && defined(starts[n]) >= file.text.length) continue
    const column = start - defined(starts[line])
    const from = n === line && column > WINDOW - 20 ? column - (WINDOW >> 1) : 0
    const cut = (from > 0 ? '…' : '') + text.slice(from, from + WINDOW) + (text.length > from + WINDOW ? '…' : '')
    rows.push(`${paint.dim(`${String(n + 1).padStart(width)} |`)} ${cut}`.trimEnd())
    if (n === line) {
      const lead = (from > 0 ? ' ' : '') + text.slice(from, column).replace(/[^\t]/g, ' ')
      const length = Math.max(1, Math.min(end - start, text.length - column, from + WINDOW - column))
      rows.push(`${paint.dim(`${' '.repeat(width)} |`)} ${lead}${mark('^'.repeat(length))}`)
    }
  }
  return rows.join('\n')
}

/**
 * Prints a problem for people: location, message, code frame, related places, help.
 *
 * @param p - The problem.
 * @param paint - Colours. Default: none.
 * @returns One or more lines, without a line break at the end.
 * @example
 * printProblem(libraryFrom({ 'prompts/a.yaml': '' }).problems[0]).includes('prompts/a.yaml:1:1 error:') // => true
 */
export function printProblem(p: Problem, paint: Paint = plainPaint): string {
  const mark = p.severity === 'error' ? paint.error : paint.warning
  const where = p.place ? `${p.place.file}:${p.place.line}:${p.place.column} ` : ''
  const parts = [`${paint.bold(where)}${mark(p.severity)}: ${p.message} ${paint.dim(`[${p.code}]`)}`]
  if (p.span) parts.push(frame(p.span, paint, mark))
  for (const related of p.related) {
    const place = related.span.source.place(related.span.start)
    parts.push(`  ${related.message}: ${place.file}:${place.line}:${place.column}`)
  }
  if (p.hint !== undefined) parts.push(`  ${paint.bold('help')}: ${p.hint}`)
  return parts.join('\n')
}
