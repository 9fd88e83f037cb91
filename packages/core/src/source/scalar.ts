import { defined } from '../invariant.js'
import type { Scalar } from 'yaml'
import { Source, type ScalarStyle, type Segment } from './source.js'

const STYLES: Record<string, ScalarStyle> = {
  BLOCK_LITERAL: 'block',
  BLOCK_FOLDED: 'folded',
  QUOTE_DOUBLE: 'double',
  QUOTE_SINGLE: 'single',
  PLAIN: 'plain',
}

/** The text of a YAML scalar as a source of its own, every offset of which points to its true place in the file. */
export function scalarSource(file: Source, node: Scalar): Source {
  const value = typeof node.value === 'string' ? node.value : (node.source ?? '')
  const style = STYLES[node.type ?? 'PLAIN'] ?? 'plain'
  const [start, end] = node.range ?? [0, 0, 0]
  const raw = file.text.slice(start, end)
  const inner = style === 'double' || style === 'single' ? raw.slice(1, raw.endsWith(defined(raw[0])) ? -1 : undefined) : raw
  const segments =
    style === 'block' || style === 'folded'
      ? alignLines(value, bodyLines(raw, start))
      : style === 'double'
        ? alignDouble(inner, start + 1)
        : alignLines(value, plainLines(inner, start + (style === 'single' ? 1 : 0), style === 'single'))
  return new Source(file.name, value, { file, segments, style })
}

interface RawLine {
  /** The line's content without what the scalar's style takes away. */
  readonly text: string
  readonly at: number
}

/** The lines below a block scalar's header. */
function bodyLines(raw: string, start: number): RawLine[] {
  const lines: RawLine[] = []
  let position = raw.indexOf('\n') + 1
  while (position > 0 && position < raw.length) {
    const next = raw.indexOf('\n', position)
    const end = next < 0 ? raw.length : next
    lines.push({ text: raw.slice(position, end).replace(/\r$/, ''), at: start + position })
    position = next + 1
  }
  return lines
}

/** The pieces of a plain or single-quoted scalar: its lines, and after each `''` a piece of its own. */
function plainLines(inner: string, start: number, quoted: boolean): RawLine[] {
  const lines: RawLine[] = []
  const cut = quoted ? /\r?\n|'(?=')/g : /\r?\n/g
  let position = 0
  for (const match of inner.matchAll(cut)) {
    lines.push({ text: inner.slice(position, match.index), at: start + position })
    position = match.index + match[0].length
  }
  lines.push({ text: inner.slice(position), at: start + position })
  return lines
}

/**
 * Aligns raw lines with the value they make: each line's content, without the spaces that indentation and folding take, occurs in the
 * value after that of the line before. Spaces that are content belong to the span before them, one column per character.
 */
function alignLines(value: string, lines: readonly RawLine[]): Segment[] {
  const segments: Segment[] = []
  let position = 0
  for (const line of lines) {
    const content = line.text.trim()
    if (content === '') continue
    const index = value.indexOf(content, position)
    if (index < 0) continue
    const lead = line.text.length - line.text.trimStart().length
    const lineStart = Math.max(value.lastIndexOf('\n', index - 1) + 1, position)
    const kept = value.slice(lineStart, index).trim() === '' ? Math.min(index - lineStart, lead) : 0
    segments.push({ at: index - kept, host: line.at + lead - kept })
    position = index + content.length
  }
  return segments.length > 0 ? segments : [{ at: 0, host: lines[0]?.at ?? 0 }]
}

const LONG_ESCAPES: Record<string, number> = { x: 2, u: 4, U: 8 }

/** A double-quoted scalar: each escape and each folded line end begins a new segment. */
function alignDouble(inner: string, start: number): Segment[] {
  const segments: Segment[] = [{ at: 0, host: start }]
  let position = 0
  let i = 0
  const mark = () => segments.push({ at: position, host: start + i })
  while (i < inner.length) {
    const character = defined(inner[i])
    if (character === '\\') {
      const kind = inner[i + 1] ?? ''
      if (kind === '\n' || kind === '\r') {
        i += inner.startsWith('\r\n', i + 1) ? 3 : 2
        while (inner[i] === ' ' || inner[i] === '\t') i++
      } else {
        const length = LONG_ESCAPES[kind] ?? 0
        position += length === 8 && parseInt(inner.slice(i + 2, i + 10), 16) > 0xffff ? 2 : 1
        i += 2 + length
      }
      mark()
    } else if (startsFold(inner, i)) {
      const fold = /[ \t]*(?:\r?\n[ \t]*)+/y
      fold.lastIndex = i
      const match = defined(fold.exec(inner))[0]
      position += Math.max(1, match.split('\n').length - 2)
      i += match.length
      mark()
    } else {
      const step = blanks(inner, i) || 1
      position += step
      i += step
    }
  }
  return segments
}

/** The length of the run of spaces at a place. */
function blanks(text: string, position: number): number {
  let end = position
  while (text[end] === ' ' || text[end] === '\t') end++
  return end - position
}

function startsFold(text: string, position: number): boolean {
  const end = position + blanks(text, position)
  return text[end] === '\n' || (text[end] === '\r' && text[end + 1] === '\n')
}
