import { allTurns, type JoinedPrompt } from '../artefacts/artefacts.js'
import { problem, type Report } from '../problems/problem.js'
import type { Span } from '../source/source.js'
import type { Text } from '../text/nodes.js'
import { tokensOf } from '../text/tokens.js'
import type { Declared } from '../values/types.js'

/** A shorter name is too common a word. */
const SHORTEST = 4

/**
 * Reports what looks as if it inserted a value and does not: a field that the text mentions but never inserts, and a name in the brackets of
 * another language.
 *
 * @param fences - The tags of the prompt's fences: a text may name them.
 */
export function reportMentions(prompt: JoinedPrompt, fences: ReadonlySet<string>, report: Report): void {
  const turns = [...allTurns(prompt.turns)]
  const spoken = turns.flatMap((turn) => (turn.kind === 'text' ? [turn.text] : []))
  const others = turns.flatMap((turn) =>
    turn.kind === 'input' ? turn.with.map(({ text }) => text) : turn.kind === 'examples' && turn.to ? [turn.to] : [],
  )
  const named = [prompt.persona, prompt.output, prompt.locale].filter((text) => text !== undefined)
  const heads = turns.flatMap((turn) => (turn.kind === 'each' ? turn.head.value.paths.map(({ span }) => pathText(span)) : []))
  const used = new Set([...[...spoken, ...others, ...named, ...prompt.bind.map(({ text }) => text)].flatMap(pathsIn), ...heads])
  // The input of an example set takes the values of its names.
  const isPassed = turns.some((turn) => turn.kind === 'input' || turn.kind === 'each')
  const names = new Map(prompt.variables.flatMap((variable) => namesOf(variable)))
  const plain = spoken.map((text) => reportForeign(text, plainText(text), names, fences, report))
  if (!isPassed) for (const path of unusedFields(prompt, used)) reportMention(path, prompt, spoken, plain, report)
}

function pathText({ source, start, end }: Span): string {
  return source.text.slice(start, end)
}

function pathsIn(text: Text): string[] {
  return tokensOf(text).flatMap(({ kind, span }) => (kind === 'variable' ? [pathText(span)] : []))
}

/** A text with spaces for all that is not literal, every character at its place. */
function plainText(text: Text): string {
  let plain = ''
  let end = 0
  for (const { span } of tokensOf(text)) {
    plain += text.source.text.slice(end, span.start) + ' '.repeat(span.end - span.start)
    end = span.end
  }
  return plain + text.source.text.slice(end)
}

/** The fields of records that no text uses: of a record that is inserted as a whole, none. */
function unusedFields({ variables }: JoinedPrompt, used: ReadonlySet<string>): string[] {
  return variables.flatMap(({ name, type }) => {
    if (type.kind !== 'record' || !type.fields || used.has(name)) return []
    return type.fields
      .map((field) => `${name}.${field.name}`)
      .filter((path) => ![...used].some((other) => other === path || other.startsWith(`${path}.`)))
  })
}

function reportMention(path: string, prompt: JoinedPrompt, texts: readonly Text[], plain: readonly string[], report: Report): void {
  const name = path.slice(path.indexOf('.') + 1)
  if (name.length < SHORTEST || prompt.onlyMentioned.some((item) => item.name === path)) return
  const words = name.split(/[^\p{L}\p{N}]+/u).filter((word) => word !== '')
  const pattern = new RegExp(`(?<![\\p{L}\\p{N}])${words.join('[ \\t\\n_-]+')}(?![\\p{L}\\p{N}])`, 'iu')
  for (const [i, text] of texts.entries()) {
    const match = pattern.exec(plain[i] ?? '')
    if (!match) continue
    report(problem('only-mentioned', { path, words: match[0] }, text.source.span(match.index, match.index + match[0].length)))
    return
  }
}

/** The names by which a value could be meant, with the path that inserts it. */
function namesOf({ name, type }: Declared): [string, string][] {
  const fields = type.kind === 'record' ? (type.fields ?? []) : []
  const within = fields.flatMap((field): [string, string][] => [
    [field.name.toLowerCase(), `${name}.${field.name}`],
    [`${name}.${field.name}`.toLowerCase(), `${name}.${field.name}`],
  ])
  return [...within, [name.toLowerCase(), name]]
}

const NAME = '[\\p{L}_](?:[\\p{L}\\p{N}_.-]*[\\p{L}\\p{N}_])?'
const FOREIGN = new RegExp(
  `\\{\\{[ \\t]*(${NAME})[ \\t]*\\}\\}|(?<![\\p{L}\\p{N}$\\\\])\\$(${NAME})|</?(${NAME})>|(?<!\\])\\[(${NAME})\\](?![(:\\[])|%(${NAME})%`,
  'gu',
)

/** Reports names in other brackets; gives the text without them. */
function reportForeign(text: Text, plain: string, names: ReadonlyMap<string, string>, fences: ReadonlySet<string>, report: Report): string {
  const { source } = text
  const met = new Set<string>()
  const reportAt = (start: number, written: string, path: string) => {
    if (!met.has(written)) report(problem('foreign-slot', { written, path }, source.span(start, start + written.length)))
    met.add(written)
  }
  // Two braces are a brace before and after a slot.
  for (const { kind, span } of tokensOf(text)) {
    const slot = kind === 'brace' && /^\{\{([^{}\n]*)\}\}/.exec(source.text.slice(Math.max(0, span.start - 1)))
    const path = slot ? names.get((slot[1] ?? '').toLowerCase()) : undefined
    if (slot && path !== undefined) reportAt(span.start - 1, slot[0], path)
  }
  return plain.replace(FOREIGN, (written, ...groups: unknown[]) => {
    const name = groups.slice(0, 5).find((group) => typeof group === 'string') as string
    const path = names.get(name.toLowerCase())
    // A tag that is closed is markup.
    const isMarkup = written.startsWith('<') && (fences.has(name) || plain.includes(`</${name}>`))
    if (path === undefined || isMarkup) return written
    reportAt(groups[5] as number, written, path)
    return ' '.repeat(written.length)
  })
}
