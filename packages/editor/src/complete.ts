import { snippetCompletion, type Completion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete'
import { describe, DIRECTIVES, FORMATS, type Declared } from 'dunelight/parts'

/** The names that a text may use. */
export interface Known {
  readonly variables: readonly Declared[]
  readonly snippets: readonly string[]
  readonly personas: readonly string[]
  /** For the file of an assembly: the prompts that its parts can ask. */
  readonly prompts?: readonly string[]
}

const BLOCKS = new Set(['when', 'each', 'vary', 'untouched'])

/** Completions at the cursor: fields after a point, formats after `as`, snippets after `use`, directives after `~`, else variables. */
export function completionsAt(context: CompletionContext, known: Known): CompletionResult | null {
  const { state, pos } = context
  const line = state.doc.lineAt(pos)
  const before = line.text.slice(0, pos - line.from)
  const options = optionsFor(before, known)
  return options ? { from: pos - options.typed.length, options: options.list, validFor: /^[\p{L}\p{M}\p{N}_/-]*$/u } : null
}

interface Options {
  readonly typed: string
  readonly list: readonly Completion[]
}

const NAME = String.raw`[\p{L}\p{M}\p{N}_-]*`
const FORMAT = new RegExp(String.raw`\bas (${NAME})$`, 'u')
const USE = /(?:^\s*~[ \t]+|\{)use ([\p{L}\p{N}_/-]*)$/u
const DIRECTIVE = /^\s*~[ \t]+(\p{L}*)$/u
const FIELD = new RegExp(String.raw`([\p{L}_]${NAME})\.(${NAME})$`, 'u')
const SLOT = new RegExp(String.raw`\{(${NAME})$`, 'u')
const OPERAND = new RegExp(String.raw`(?:\{|^\s*~[ \t]+)(?:when|each|otherwise when|use)\b.*?[ =(](${NAME})$`, 'u')
const OR = new RegExp(String.raw`\{[^}]* or (${NAME})$`, 'u')

function optionsFor(before: string, known: Known): Options | undefined {
  if (known.prompts) {
    const options = assemblyOptions(before, known, known.prompts)
    if (options) return options
  }
  const readsLanguage = before.lastIndexOf('{') > before.lastIndexOf('}') || /^\s*~[ \t]/.test(before)
  if (!readsLanguage) return undefined
  const take = taker(before)
  return (
    take(FORMAT, () => formats()) ??
    take(USE, () => uses(known)) ??
    take(DIRECTIVE, () => directives()) ??
    take(FIELD, ([, name]) => fieldsOf(known.variables.find((d) => d.name === name))) ??
    take(SLOT, () => [...variables(known.variables), ...inlineDirectives()]) ??
    take(OR, () => variables(known.variables)) ??
    take(OPERAND, () => variables(known.variables))
  )
}

type Take = (pattern: RegExp, list: (match: RegExpExecArray) => readonly Completion[] | undefined) => Options | undefined

/** Options for what is typed, if a pattern finds it at the cursor. */
function taker(before: string): Take {
  return (pattern, list) => {
    const match = pattern.exec(before)
    const completions = match && list(match)
    return completions ? { typed: match.at(-1) ?? '', list: completions } : undefined
  }
}

const PROMPT_OF_PART = /\bprompt:[ \t]*["']?([\p{L}\p{N}_/-]*)$/u
/** An expression of a part: the value of a key, an item of a loop, what follows an operator. */
const OF_EXPRESSION = new RegExp(String.raw`^[^~]*[:=] ?["']?(?:.*\b(?:in|or|and|not|is)[ \t]+)?`, 'u')
const PART_FIELD = new RegExp(`${OF_EXPRESSION.source}([\\p{L}_]${NAME})\\.(${NAME})$`, 'u')
const PART_NAME = new RegExp(`${OF_EXPRESSION.source}(${NAME})$`, 'u')
const WITHOUT_NAMES = /\b(?:title|about|type|candidates|distinct|tags|question|pattern):[^,}]*$/u

/** What can stand in the keys of an assembly's parts: prompts, values, answers of parts and their fields. */
function assemblyOptions(before: string, known: Known, prompts: readonly string[]): Options | undefined {
  if (WITHOUT_NAMES.test(before) || /^\s*~/.test(before)) return undefined
  const take = taker(before)
  return (
    take(PROMPT_OF_PART, () => prompts.map((label) => ({ label, type: 'text' }))) ??
    (/\b(?:with|each|when|otherwise):|^\s{6,}[\p{L}-]+:/u.test(before)
      ? (take(PART_FIELD, ([, name]) => fieldsOf(known.variables.find((d) => d.name === name))) ??
        take(PART_NAME, () => variables(known.variables)))
      : undefined)
  )
}

function variables(declared: readonly Declared[]): Completion[] {
  return declared.map((d) => ({
    label: d.name,
    type: 'variable',
    detail: describe(d.type),
    ...(d.about !== undefined && { info: d.about }),
    boost: 1,
  }))
}

function fieldsOf(declared: Declared | undefined): Completion[] | undefined {
  const type = declared?.type.kind === 'list' ? declared.type.item : declared?.type
  return type && (type.kind === 'record' || type.kind === 'table') && type.fields ? variables(type.fields) : undefined
}

function formats(): Completion[] {
  return FORMATS.map((format) => ({ label: format.name, type: 'function', detail: format.takes, info: format.about }))
}

function uses(known: Known): Completion[] {
  const named = (names: readonly string[], type: string) => names.map((label) => ({ label, type }))
  return [
    ...named(known.snippets, 'text'),
    ...named(['persona', 'examples', 'output'], 'keyword'),
    ...named(
      known.personas.map((name) => `persona ${name}`),
      'class',
    ),
  ]
}

function directives(): Completion[] {
  return DIRECTIVES.map(({ word, shape, about }) => {
    const completion = { label: word, type: 'keyword', detail: shape, info: about }
    return BLOCKS.has(word) ? snippetCompletion(`${blockHead(word)}\n\${}\n~ end`, completion) : completion
  })
}

function blockHead(word: string): string {
  return word === 'when' ? 'when ${condition}' : word === 'each' ? 'each ${item} in ${list}' : word
}

function inlineDirectives(): Completion[] {
  return DIRECTIVES.filter(({ word }) => word !== 'untouched').map(({ word, shape, about }) => ({
    label: word,
    type: 'keyword',
    detail: shape,
    info: about,
  }))
}
