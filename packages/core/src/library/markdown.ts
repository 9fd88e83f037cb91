import type { Origin } from '../render/origins.js'

/** A text with the origins of its spans. */
export interface OriginText {
  readonly text: string
  readonly origins: readonly Origin[]
}

/**
 * A document in Markdown in which only its author's text and whole answers are markup. What values wrote is text, wherever it stands; an answer
 * is markup only where it has lines of its own.
 *
 * @param isAnswer - Whether a path, `heading` or `conditions.2.answer`, leads to an answer of a model.
 */
export function withPlainValues({ text, origins }: OriginText, isAnswer: (path: string) => boolean): OriginText {
  let out = ''
  const placed = origins.map((origin): Origin => {
    const { start, end, kind, path } = origin
    const own = text.slice(start, end)
    const isValue = kind === 'value' && path !== undefined
    const hasOwnLines = (start === 0 || text[start - 1] === '\n') && (end === text.length || text[end] === '\n')
    const from = out.length
    out += isValue && !(isAnswer(path) && hasOwnLines) ? plainMarkdown(own) : own
    return { ...origin, start: from, end: out.length }
  })
  return { text: out, origins: placed }
}

/** Characters that are markup wherever they stand. */
const MARKUP = /[\\`*[\]<|~]|(?<![\p{L}\p{N}])_|_(?![\p{L}\p{N}])|&(?=#?\w+;)/gu
/** What is markup only at the beginning of a line. */
const OPENING = /^(?:[#>+=-]|\d{1,9}(?=[.)](?:\s|$)))/

/**
 * A text in one line, written so that Markdown shows it as it is.
 *
 * @example plainMarkdown('# 1 * 2') // => '\\# 1 \\* 2'
 */
export function plainMarkdown(text: string): string {
  const line = text.replace(/\s*\n\s*/g, ' ').replace(/^[ \t]+|[ \t]+$/g, ' ')
  const escaped = line.replace(MARKUP, (character) => `\\${character}`)
  const lead = /^ */.exec(escaped)?.[0] ?? ''
  const rest = escaped.slice(lead.length)
  return lead + rest.replace(OPENING, (mark) => (/^\d/.test(mark) ? `${mark}\\` : `\\${mark}`))
}
