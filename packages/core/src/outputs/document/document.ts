import { defined } from '../../invariant.js'
import { findFixed, partsOf, type Found, type Part } from './match.js'
import { exactJson } from '../json/find.js'
import { passageFields, readPassage } from '../passages.js'
import { Loosening } from '../json/loosen.js'
import { asking, type Instruction } from '../kind.js'
import type { Reading } from '../reading.js'
import { bareText, ownText, passagesOf, type DocumentShape, type PassageSegment, type TextSegment } from '../shape.js'
import { problem } from '../../problems/problem.js'
import { clip, isRecord, put } from '../../values/data.js'

/** A document as it was finished: its own fixed text and values, and between them what was written. */
export interface FinishedDocument<P = Readonly<Record<string, unknown>>> {
  readonly text: string
  readonly passages: P
  /** The same text in spans, each with its kind. */
  readonly segments: readonly { readonly kind: 'fixed' | 'value' | 'written'; readonly text: string; readonly name?: string }[]
}

const ONLY_THIS = 'Answer with this document and nothing else.'
const ELSE = 'leave every other character as it is:'

export function instructDocument(shape: DocumentShape): Instruction {
  if (shape.show !== 'description')
    return { asks: `${ONLY_THIS} Write what each <…> asks for in its place, and ${ELSE}`, gap: '\n\n', own: ownText(shape) }
  const bullets = passagesOf(shape).map(
    ({ name, type, guidance }) =>
      `- ${name}: ${[type === 'text' ? '' : type, guidance].filter((part) => part !== '').join(', ') || 'text'}`,
  )
  return asking(`${ONLY_THIS} Write these passages in their places, and ${ELSE}\n${bullets.join('\n')}\n\n${bareText(shape)}`)
}

/** Reads a reply by the document's fixed text: the text between is what was written. */
export function readDocument(shape: DocumentShape, reading: Reading): unknown {
  const parts = partsOf(shape.segments)
  const written = passagesInJson(shape, reading) ?? passagesInText(parts, reading)
  const passages: Record<string, unknown> = {}
  for (const segment of passagesOf(shape)) {
    const passage = written.get(segment.name)
    const text = passage?.text.trim() ?? ''
    const start = passage && passage.start + (passage.text.length - passage.text.trimStart().length)
    const span = start === undefined ? undefined : reading.span(start, start + text.length)
    if (text === '' || text === segment.text.trim()) {
      reading.report(problem('reply-passage-missing', { passage: segment.name, left: text !== '' }, span))
      continue
    }
    const { value, faults } = readPassage(segment, text)
    for (const message of faults) reading.report(problem('reply-passage-invalid', { passage: segment.name, detail: message }, span))
    put(passages, segment.name, value)
  }
  const finished = finishDocument(shape.segments, passages)
  reading.partial = finished
  return finished
}

/** A document with its passages in their places. */
export function finishDocument(segments: readonly TextSegment[], passages: Readonly<Record<string, unknown>>): FinishedDocument {
  const done = segments.map((segment) => {
    if (segment.kind !== 'passage') return segment
    const value = Object.hasOwn(passages, segment.name) ? passages[segment.name] : ''
    return { kind: 'written' as const, text: typeof value === 'string' ? value : String(value), name: segment.name }
  })
  return { text: done.map((item) => item.text).join(''), passages, segments: done }
}

interface Written {
  readonly text: string
  readonly start: number
}

function passagesInText(parts: readonly Part[], reading: Reading): Map<string, Written> {
  const { text: reply } = reading
  const fence = defined(parts[0]).fixed.trimStart().startsWith('```')
    ? null
    : /^\s*(?:```|~~~)[\w-]*\n([^]*?)\n?(?:```|~~~)\s*$/.exec(reply)
  if (fence) reading.repair('fence', 'the document is in a code fence')
  const offset = fence ? fence[0].indexOf('\n') + 1 : 0
  const text = fence ? defined(fence[1]) : reply
  const matches = findFixed(parts, text)
  sayFixed(parts, matches, text, offset, reading)
  const written = new Map<string, Written>()
  parts.forEach(({ passage }, i) => {
    if (!passage) return
    const start = endOf(matches, i) ?? undefined
    if (start === undefined) return
    const next = matches
      .slice(i + 1)
      .find((item): item is Found & { extent: { start: number } } => 'extent' in item && item.extent !== undefined)
    const end = i === parts.length - 2 && defined(matches[i + 1]).how === 'blank' ? text.length : (next?.extent.start ?? text.length)
    written.set(passage.name, { text: text.slice(start, end), start: offset + start })
  })
  return written
}

/** Where the text after a run begins; undefined if the run is missing, so that its passage has no known beginning. */
function endOf(matches: readonly Found[], index: number): number | undefined {
  const match = defined(matches[index])
  if (match.how === 'missing') return index === 0 ? 0 : undefined
  return match.extent?.end
}

function sayFixed(parts: readonly Part[], matches: readonly Found[], text: string, offset: number, reading: Reading): void {
  matches.forEach((item, i) => {
    const asked = defined(parts[i]).fixed.trim()
    const span = 'extent' in item && item.extent ? reading.span(offset + item.extent.start, offset + item.extent.end) : undefined
    if (item.how === 'missing') reading.report(problem('reply-fixed-missing', { asked: clip(asked, 80) }))
    else if (item.how === 'changed')
      reading.report(
        problem('reply-fixed-changed', { asked, found: text.slice(item.extent.start, item.extent.end), difference: item.difference }, span),
      )
    else if (item.how === 'folded') reading.repair('case', `"${clip(asked)}" came back with different case, spaces or quotes`, span)
  })
  const first = defined(matches[0])
  if ('extent' in first && first.extent && text.slice(0, first.extent.start).trim() !== '')
    reading.repair('prose', 'there is text before the document', { start: offset, end: offset + first.extent.start })
  const last = defined(matches.at(-1))
  if (last.how !== 'blank' && 'extent' in last && text.slice(last.extent.end).trim() !== '')
    reading.repair('prose', 'there is text after the document', { start: offset + last.extent.end, end: offset + text.length })
}

/** Passages that came as JSON, each under its name. */
function passagesInJson(shape: DocumentShape, reading: Reading): Map<string, Written> | undefined {
  const data = exactJson(reading.text.replace(/^\s*(?:```|~~~)\w*\s*\n|\n?(?:```|~~~)\s*$/g, ''))?.value
  const names = passagesOf(shape)
  if (!isRecord(data) || !names.some((name: PassageSegment) => Object.hasOwn(data, name.name))) return undefined
  if (shape.show !== 'json-schema') reading.repair('json', 'the passages are in JSON')
  const record = new Loosening(reading, () => undefined, false).record(data, passageFields(shape.segments), [])
  return new Map(Object.entries(record).map(([name, value]) => [name, { text: String(value), start: 0 }]))
}
