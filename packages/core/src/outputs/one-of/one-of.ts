import { exactJson } from '../json/find.js'
import { foldedLabel, foldLabel, LONGEST_LABEL } from '../json/loosen.js'
import { asking, type Instruction } from '../kind.js'
import type { Reading } from '../reading.js'
import type { OneOfShape } from '../shape.js'
import { problem } from '../../problems/problem.js'
import { clip, isRecord, own } from '../../values/data.js'
import { highestLabel, labelInWords, labelsInWords } from '../../values/labels.js'

/** The sentence that asks for one label and nothing else. */
export function instructOneOf(shape: OneOfShape): Instruction {
  return asking(textOf(shape))
}

function textOf({ of, labels = [], show }: OneOfShape): string {
  const description = labelsInWords(labels)
  if (show === 'description' || description !== '') {
    const meanings = new Map(labels.map((label) => [label.name, labelInWords(label)]))
    const bullets = of.map((label) => `- ${label}${meanings.get(label) ? `: ${meanings.get(label)}` : ''}`)
    return `Answer with one of these labels and nothing else:\n${bullets.join('\n')}`
  }
  const quoted = of.map((label) => `"${label}"`)
  const last = quoted.pop() ?? ''
  return quoted.length === 0
    ? `Answer with ${last} and nothing else.`
    : `Answer with one of ${quoted.join(', ')} or ${last}, and nothing else.`
}

/** `Grade:` before a label, as layouts of cases write it. */
const CAPTION = /^[*_]{0,2}\p{L}[\p{L} _-]{0,40}[*_]{0,2}:[*_]{0,2}\s*/u
/** Words that turn a label round: "not urgent". */
const TURNED = /(?<!\p{L})(?:not|no|never|neither|nor|without|except|rather|than|instead|nicht|kein\p{L}*|\p{L}+n['’]t)(?!\p{L})/iu
/** A sentence of more words than this speaks of something else too. */
const MOST_WORDS = 12

/** Reads a reply as one of the labels: a record of one field. */
export function readOneOf(shape: OneOfShape, reading: Reading): unknown {
  const label = readLabel(shape, reading)
  return label === undefined ? undefined : { [shape.field]: label }
}

function readLabel(shape: OneOfShape, reading: Reading): string | undefined {
  const { of, labels = [] } = shape
  const text = reading.text.trim()
  if (of.includes(text)) return text
  const label = labelIn(text, shape, reading)
  if (label !== undefined) return label
  const spoken = of.filter((label) => speaksOf(text, label))
  const highest = spoken.length > 1 && isPlain(text) ? highestLabel(spoken, labels) : undefined
  if (highest !== undefined) {
    reading.repair('label', `${spoken.map((label) => `"${label}"`).join(' and ')} are read as "${highest}", which ranks highest`)
    return highest
  }
  if (spoken.length > 0) reading.report(problem('reply-labels-several', { found: spoken }))
  else reading.report(problem('reply-label-unknown', { found: clip(text, 60), labels: of }))
  return undefined
}

function labelIn(text: string, { of, field, show }: OneOfShape, reading: Reading): string | undefined {
  const bare = text.replace(/^(?:```|~~~)[\w-]*\s*|\s*(?:```|~~~)$/g, '')
  const data = exactJson(bare)?.value
  const stated = typeof data === 'string' ? data : isRecord(data) ? soleText(data, field) : undefined
  if (stated !== undefined) {
    const label = foldedLabel(stated, of)
    const isAsked = show === 'json-schema' && text === bare && label === stated && own(data, field) === label
    if (label !== undefined && !isAsked) reading.repair('json', 'the label is in JSON')
    return label
  }
  const direct = foldedLabel(bare, of)
  if (direct !== undefined) {
    reading.repair('label', `"${clip(text)}" is read as "${direct}"`)
    return direct
  }
  const lines = bare.split('\n').filter((line) => line.trim() !== '')
  // Alone on the first or the last line, with or without its caption: the rest explains it.
  const alone = [lines.at(-1), lines[0]].flatMap((line) => labelOfLine(line ?? '', of))
  const captioned = lines.flatMap((line) => (CAPTION.test(line) ? labelOfLine(line, of) : []))
  const label = sole(captioned) ?? sole(alone) ?? (lines.length === 1 ? labelOfSentence(bare, of) : undefined)
  if (label !== undefined) reading.repair(lines.length > 1 ? 'prose' : 'label', `"${clip(text)}" is read as "${label}"`)
  return label
}

function soleText(data: Record<string, unknown>, field: string): string | undefined {
  const texts = Object.values(data).filter((item) => typeof item === 'string')
  const named = data[field]
  return typeof named === 'string' ? named : texts.length === 1 && Object.keys(data).length === 1 ? texts[0] : undefined
}

function sole(labels: readonly string[]): string | undefined {
  return new Set(labels).size === 1 ? labels[0] : undefined
}

function labelOfLine(line: string, of: readonly string[]): string[] {
  if (line.length > LONGEST_LABEL) return []
  const label = foldedLabel(line, of) ?? foldedLabel(line.trim().replace(CAPTION, ''), of)
  return label === undefined ? [] : [label]
}

/** A short sentence that names one label and turns nothing round: "This should be graded watch." */
function labelOfSentence(text: string, of: readonly string[]): string | undefined {
  return isPlain(text) ? sole(of.filter((label) => speaksOf(text, label))) : undefined
}

function isPlain(text: string): boolean {
  return text.length <= LONGEST_LABEL && !TURNED.test(text) && text.split(/\s+/).length <= MOST_WORDS && !text.includes('?')
}

/** Whether a label is in a text as words of its own. */
function speaksOf(text: string, label: string): boolean {
  const within = text.slice(0, 20_000).toLowerCase()
  const word = foldLabel(label)
  if (word === '') return false
  for (let position = within.indexOf(word); position >= 0; position = within.indexOf(word, position + 1))
    if (!/[\p{L}\p{N}]/u.test(within[position - 1] ?? '') && !/[\p{L}\p{N}]/u.test(within[position + word.length] ?? '')) return true
  return false
}
