import { allTurns, type JoinedPrompt } from '../artefacts/artefacts.js'
import { problem, type Report } from '../problems/problem.js'
import type { Source } from '../source/source.js'
import type { Text } from '../text/nodes.js'
import { pathsIn } from '../text/paths.js'
import { tokensOf, type Token } from '../text/tokens.js'
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
  const spoken = turns.flatMap((turn) => (turn.kind === 'text' ? [tokenized(turn.text)] : []))
  const names = new Map(prompt.variables.flatMap((variable) => namesOf(variable)))
  const literal = spoken.map((text) => ({ source: text.source, plain: reportForeign(text, names, fences, report) }))
  // The input of an example set takes the values of its names, and repeated turns have names of their own.
  if (turns.some((turn) => turn.kind === 'input' || turn.kind === 'each')) return
  const others = turns.flatMap((turn) => (turn.kind === 'examples' && turn.to ? [turn.to] : []))
  const named = [prompt.persona, prompt.output, prompt.locale].filter((text) => text !== undefined)
  const texts = [...spoken.map(({ text }) => text), ...others, ...named, ...prompt.bind.map(({ text }) => text)]
  // A record that is used as a whole, or by one of its fields.
  const used = new Set(texts.flatMap(pathsIn).map(({ name, steps: [first] }) => (first ? `${name}.${first.key}` : name)))
  const unused = unusedFields(prompt, used)
  if (unused.length === 0) return
  const compared = literal.map((text) => ({ ...text, lower: text.plain.toLowerCase() }))
  for (const path of unused) reportMention(path, compared, report)
}

/** A text with its tokens. */
interface Tokenized {
  readonly text: Text
  readonly source: Source
  readonly tokens: readonly Token[]
}

function tokenized(text: Text): Tokenized {
  return { text, source: text.source, tokens: tokensOf(text) }
}

/** A text with spaces for all that is not literal, every character at its place. */
function plainText({ source, tokens }: Tokenized): string {
  let plain = ''
  let end = 0
  for (const { span } of tokens) {
    plain += source.text.slice(end, span.start) + ' '.repeat(span.end - span.start)
    end = span.end
  }
  return plain + source.text.slice(end)
}

/** What a text says besides its slots, every character at its place. */
interface LiteralText {
  readonly source: Source
  readonly plain: string
  readonly lower: string
}

/** The fields of records that no text uses and no list excepts: of a record that is inserted as a whole, none. */
function unusedFields({ variables, onlyMentioned }: JoinedPrompt, used: ReadonlySet<string>): string[] {
  const excepted = new Set(onlyMentioned.map(({ name }) => name))
  return variables.flatMap(({ name, type }) => {
    if (type.kind !== 'record' || !type.fields || used.has(name)) return []
    const named = type.fields.filter((field) => field.name.length >= SHORTEST)
    return named.map((field) => `${name}.${field.name}`).filter((path) => !used.has(path) && !excepted.has(path))
  })
}

function reportMention(path: string, texts: readonly LiteralText[], report: Report): void {
  const words = path
    .slice(path.indexOf('.') + 1)
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '')
  if (words.length === 0) return
  // A pattern is made for the few texts that have all of the words.
  const likely = texts.filter(({ lower }) => words.every((word) => lower.includes(word.toLowerCase())))
  if (likely.length === 0) return
  const pattern = new RegExp(`(?<![\\p{L}\\p{N}])${words.join('[ \\t\\n_-]+')}(?![\\p{L}\\p{N}])`, 'iu')
  for (const { source, plain } of likely) {
    const match = pattern.exec(plain)
    if (!match) continue
    report(problem('only-mentioned', { path, words: match[0] }, source.span(match.index, match.index + match[0].length)))
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

const DOUBLED = /\{\{([^{}\n]*)\}\}/y

/** Reports names in other brackets; gives the text without them. */
function reportForeign(text: Tokenized, names: ReadonlyMap<string, string>, fences: ReadonlySet<string>, report: Report): string {
  const { source, tokens } = text
  const plain = plainText(text)
  const met = new Set<string>()
  const reportAt = (start: number, written: string, path: string) => {
    if (!met.has(written)) report(problem('foreign-slot', { written, path }, source.span(start, start + written.length)))
    met.add(written)
  }
  // Two braces are a brace before and after a slot.
  for (const { kind, span } of tokens) {
    DOUBLED.lastIndex = Math.max(0, span.start - 1)
    const slot = kind === 'brace' && DOUBLED.exec(source.text)
    const path = slot ? names.get((slot[1] ?? '').toLowerCase()) : undefined
    if (slot && path !== undefined) reportAt(span.start - 1, slot[0], path)
  }
  // Most texts have none of these characters beyond their slots.
  if (!/[{$<[%]/.test(plain)) return plain
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
