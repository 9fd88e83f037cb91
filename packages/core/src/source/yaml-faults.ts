import { isScalar, visit, type Document, type YAMLError } from 'yaml'
import type { Source, Span } from './source.js'

/** A fault that the YAML parser found, in our words. */
export interface YamlFault {
  readonly message: string
  readonly hint?: string | undefined
  readonly span: Span
  /** Another place that belongs to it: the first of two keys. */
  readonly related?: { readonly message: string; readonly span: Span } | undefined
}

/** The first fault of a document: those behind it mostly follow from it. */
export function firstFault(document: Document, source: Source): YamlFault | undefined {
  const [fault] = [...document.errors].sort((a, b) => rankOf(a) - rankOf(b) || a.pos[0] - b.pos[0])
  if (!fault) return undefined
  const [start, end] = fault.pos
  const span = source.span(start, Math.max(start, end))
  const line = lineAt(source.text, start)
  switch (fault.code) {
    case 'TAB_AS_INDENT':
      return { message: 'a tab in the indentation', hint: 'indent with spaces', span }
    case 'DUPLICATE_KEY':
      return { ...duplicate(document, source, start), span }
    case 'BLOCK_AS_IMPLICIT_KEY':
      return { message: 'a colon with a space behind it begins a value', hint: quotesHint(line), span }
    case 'MULTILINE_IMPLICIT_KEY':
    case 'MISSING_CHAR':
      return missing(fault, line, span)
    case 'BAD_INDENT':
      return /bracket|brace|flow|\]|\}/i.test(fault.message)
        ? { message: 'a bracket is not closed', hint: 'close it: [ with ], { with }', span: lineSpan(source, start) }
        : { message: 'the line is not indented like its neighbours', hint: 'give all keys of one map the same indentation', span }
    case 'BAD_DQ_ESCAPE':
      return { message: 'a backslash in double quotes begins an escape', hint: 'double it, or use single quotes', span }
    default:
      return { message: tidy(fault.message), span }
  }
}

/** What stands in the indentation is the cause of what follows. */
function rankOf(fault: YAMLError): number {
  return fault.code === 'TAB_AS_INDENT' ? 0 : 1
}

function missing(fault: YAMLError, line: string, span: Span): YamlFault {
  if (/single line/i.test(fault.message)) {
    return { message: 'a text of several lines begins with |', hint: 'write | behind its key', span }
  }
  if (/implicit map keys|map value/i.test(fault.message)) {
    const [, key = line.trim(), rest] = /^\s*(?:- )?(\S+)(?:\s+(\S.*))?$/.exec(line) ?? []
    const hint = rest === undefined ? `write ${key}: and its value` : `write ${key}: ${rest}`
    return { message: 'a key has no colon behind it', hint, span }
  }
  const quote = /closing (.)quote/i.exec(fault.message) ?? /Missing closing (.)/.exec(fault.message)
  return quote
    ? { message: 'a quote is not closed', hint: 'close it, or double quotes that belong to the text', span }
    : { message: tidy(fault.message), span }
}

/** `title: Describe: an object` */
function quotesHint(line: string): string {
  const [, key, text] = /^\s*(?:- )?([^:]+):\s+(\S.*)$/.exec(line) ?? []
  return key === undefined || text === undefined ? 'put the text in quotes' : `put the text in quotes: ${key}: ${JSON.stringify(text)}`
}

/** Where a key stood before: the parser names the second place alone. */
function duplicate(document: Document, source: Source, position: number): Pick<YamlFault, 'message' | 'hint' | 'related'> {
  let first: { readonly key: string; readonly range: readonly [number, number, ...number[]] } | undefined
  visit(document, {
    Map: (_, { items }) => {
      const keys = items.map(({ key }) => key).filter(isScalar)
      const second = keys.find(({ range }) => range?.[0] === position)
      const before = second && keys.find(({ value }) => value === second.value)
      if (before?.range) first = { key: String(before.value), range: before.range }
    },
  })
  if (!first) return { message: 'a key is there twice' }
  const span = source.span(first.range[0], first.range[1])
  return {
    message: `the key "${first.key}" is there twice, first in line ${source.place(span.start).line}`,
    hint: 'remove one of them',
    related: { message: 'here first', span },
  }
}

/** A text that a `#` cuts short: `who: curator #1 of the house`. */
export function cutTexts(document: Document, source: Source): Span[] {
  const cut: Span[] = []
  visit(document, {
    Scalar: (_, scalar) => {
      const { range, type } = scalar
      if (type !== 'PLAIN' || !range || typeof scalar.value !== 'string' || !scalar.value.includes(' ')) return
      const comment = /^[ \t]+#[^\s#]/.exec(source.text.slice(range[1], range[1] + 20))
      if (comment) cut.push(source.span(range[1] + comment[0].indexOf('#'), range[1] + comment[0].length))
    },
  })
  return cut
}

function lineAt(text: string, position: number): string {
  const start = text.lastIndexOf('\n', position - 1) + 1
  const end = text.indexOf('\n', start)
  return text.slice(start, end < 0 ? undefined : end)
}

/** The line above a place: where a bracket was left open. */
function lineSpan(source: Source, position: number): Span {
  const open = Math.max(source.text.lastIndexOf('[', position), source.text.lastIndexOf('{', position))
  return open < 0 ? source.span(position, position) : source.span(open, open + 1)
}

/** A sentence of the parser's, as ours begin and end. */
function tidy(message: string): string {
  const line = message.split('\n')[0] ?? ''
  return line.charAt(0).toLowerCase() + line.slice(1).replace(/[.:]$/, '')
}
