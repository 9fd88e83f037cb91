import type { Diagnostic } from '@codemirror/lint'
import type { Problem } from 'dunelight'

/** Problems of one file as squiggles, the likeliest fix below the sentence. */
export function diagnosticsOf(problems: readonly Problem[], file: string, length: number): Diagnostic[] {
  return problems.flatMap((p) => {
    if (!p.span || p.place?.file !== file) return []
    const { source, start, end } = p.span
    const from = Math.min(source.fileOffset(start), length)
    const to = end > start ? Math.min(source.fileOffset(end - 1) + 1, length) : from
    const message = p.hint === undefined ? p.message : `${p.message}\n${p.hint}`
    return [{ from, to: Math.max(from, to), severity: p.severity, message, source: p.code }]
  })
}
