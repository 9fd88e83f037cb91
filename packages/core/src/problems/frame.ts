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
/** Paints nothing: for a file, or a terminal without colours. */
export const plainPaint: Paint = { error: bare, warning: bare, dim: bare, bold: bare }

const WINDOW = 100

/**
 * The lines around a span with the span underlined: a gutter of line numbers, two lines before and after, tabs kept so that the underline
 * stays below its signs, long lines cut to a window around it.
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

/** A problem as a person reads it: place, sentence, frame, related places, hint. */
export function printProblem(p: Problem, paint: Paint = plainPaint): string {
  const mark = p.severity === 'error' ? paint.error : paint.warning
  const where = p.place ? `${p.place.file}:${p.place.line}:${p.place.column} ` : ''
  const parts = [`${paint.bold(where)}${mark(p.severity)}: ${p.message} ${paint.dim(`[${p.code}]`)}`]
  if (p.span) parts.push(frame(p.span, paint, mark))
  for (const related of p.related) {
    const at = related.span.source.place(related.span.start)
    parts.push(`  ${related.says}: ${at.file}:${at.line}:${at.column}`)
  }
  if (p.hint !== undefined) parts.push(`  ${paint.bold('mend')}: ${p.hint}`)
  return parts.join('\n')
}
