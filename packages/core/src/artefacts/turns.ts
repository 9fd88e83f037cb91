import { defined } from '../invariant.js'
import type { Attachment, HistoryTurn, Named, Role, TurnModel } from './artefacts.js'
import { kindWords, Keys, type KeyKind } from './keys.js'
import { ownPath } from './paths.js'
import { readTokens } from './amounts.js'
import { problem, type Report } from '../problems/problem.js'
import type { Span } from '../source/source.js'
import type { YamlNode } from '../source/yaml.js'
import { parseWholeText } from '../text/whole-text.js'
import type { Text } from '../text/nodes.js'
import { parseLoopHead, parseSlotValue } from '../text/values.js'

const ROLES = ['system', 'user', 'assistant'] as const
export const TURN_KEYS = {
  system: 'text',
  user: 'text',
  assistant: 'text',
  history: 'any',
  examples: 'text',
  input: 'text',
  name: 'text',
  with: 'map',
  to: 'text',
  'begin-answer': 'boolean',
  attach: 'list',
  each: 'text',
  turns: 'list',
} satisfies Record<string, KeyKind>
export const HISTORY_KEYS = { from: 'text', fence: 'text', last: 'integer', budget: 'text' } as const
export const ATTACHMENT_KEYS = { from: 'text', as: 'text' } as const
type TurnKeys = Keys<keyof typeof TURN_KEYS>

/** The keys of a turn, and which of them go together. */
export const TURN_SAYS = {
  system: ['attach'],
  user: ['attach'],
  assistant: ['attach'],
  history: [],
  examples: ['to'],
  input: ['with', 'begin-answer'],
  each: ['turns'],
} as const satisfies Record<string, readonly (keyof typeof TURN_KEYS)[]>
type Saying = keyof typeof TURN_SAYS

/** The information about a file that reading its turns needs. */
export interface TurnReading {
  readonly file: string
  readonly report: Report
  readonly nesting: number
  text(node: YamlNode): Text
}

/** A list of turns; an empty one is reported. */
export function readTurns(node: YamlNode | undefined, reading: TurnReading): TurnModel[] {
  if (node?.items().length === 0)
    reading.report(problem('key-invalid', { key: 'turns', expected: 'at least one turn', found: 'an empty list' }, node.span))
  return (node?.items() ?? []).flatMap((item) => readTurn(item, reading))
}

/** turn = one of system, user, assistant, history, examples, input, each, and by choice a name */
export function readTurn(node: YamlNode, reading: TurnReading): TurnModel[] {
  const { report } = reading
  if (node.kind !== 'map') {
    report(problem('key-invalid', { key: 'turns', expected: 'turns such as "- user: …"', found: kindWords(node) }, node.span))
    return []
  }
  const foreign = roleAndContent(node)
  if (foreign) {
    report(problem('foreign-word', { written: 'role: and content:', meant: `${foreign.role}: and the text` }, node.span))
    return [{ ...textTurn(foreign.role, reading.text(foreign.content), { name: undefined, span: node.span }, report), attach: [] }]
  }
  const keys: TurnKeys = new Keys(node, 'a turn', TURN_KEYS, report)
  const present = (Object.keys(TURN_SAYS) as Saying[]).filter((key) => keys.has(key))
  const [what] = present
  if (present.length > 1)
    report(
      problem(
        'key-invalid',
        { key: defined(present[1]), expected: `a turn of its own, not one beside "${defined(present[0])}"`, found: 'both' },
        keys.keySpan(defined(present[1])),
      ),
    )
  const value = what && keys.get(what)
  if (!what || (!value && isRole(what) && !keys.has(what))) {
    report(problem('key-missing', { key: 'user', of: 'a turn (or system, assistant, history, examples, input, each)' }, node.span))
    return []
  }
  for (const key of ['with', 'to', 'attach', 'turns', 'begin-answer'] as const)
    if (keys.has(key) && !(TURN_SAYS[what] as readonly string[]).includes(key))
      report(problem('turn-key-misplaced', { key, of: what, belongs: belongsTo(key) }, keys.keySpan(key)))
  if (!value) return []
  const common = { name: keys.text('name'), span: node.span }
  switch (what) {
    case 'history':
      return readHistory(value, common, reading)
    case 'examples': {
      const to = keys.get('to')
      return [{ kind: 'examples', ...common, set: namedOf(value), to: to && reading.text(to) }]
    }
    case 'input': {
      const bindings = (keys.get('with')?.entries() ?? []).map((e) => ({ name: e.key, span: e.keySpan, text: reading.text(e.value) }))
      return [{ kind: 'input', ...common, set: namedOf(value), begins: keys.boolean('begin-answer') ?? false, with: bindings }]
    }
    case 'each': {
      const head = parseWholeText(value.source, 'each', reading.nesting, report, parseLoopHead)
      const turns = readTurns(keys.required('turns'), reading)
      return head ? [{ kind: 'each', ...common, head, turns }] : []
    }
    default:
      return [{ ...textTurn(what, reading.text(value), common, report), attach: readAttachments(keys, reading) }]
  }
}

/** `{ role: user, content: … }`, as elsewhere. */
function roleAndContent(node: YamlNode): { role: Role; content: YamlNode } | undefined {
  const entries = new Map(node.entries().map(({ key, value }) => [key, value]))
  const role = entries.get('role')?.string ?? ''
  const content = entries.get('content')
  return isRole(role) && content?.string !== undefined ? { role, content } : undefined
}

function isRole(word: string): word is Role {
  return (ROLES as readonly string[]).includes(word)
}

function belongsTo(key: string): string {
  const owners = (Object.keys(TURN_SAYS) as Saying[]).filter((word) => (TURN_SAYS[word] as readonly string[]).includes(key))
  return owners.join(', ')
}

interface Common {
  readonly name: string | undefined
  readonly span: Span
}

function textTurn(role: Role, text: Text, common: Common, report: Report) {
  if (role === 'assistant' && /[ \t]\n?$/.test(text.source.text)) {
    const end = text.source.text.trimEnd().length
    report(problem('started-answer-space', {}, text.source.span(end, end + 1)))
  }
  return { kind: 'text' as const, ...common, role, text }
}

function readHistory(node: YamlNode, common: Common, { report }: TurnReading): HistoryTurn[] {
  if (node.kind === 'scalar') return [{ kind: 'history', ...common, from: namedOf(node), fence: undefined }]
  const keys = new Keys(node, 'a history', HISTORY_KEYS, report)
  const from = keys.required('from')
  const fence = keys.get('fence')
  const last = keys.number('last')
  if (last !== undefined && last < 1)
    report(problem('key-invalid', { key: 'last', expected: 'a whole number from 1', found: String(last) }, keys.get('last')?.span))
  const budget = readTokens(keys.get('budget'), report)
  return from ? [{ kind: 'history', ...common, from: namedOf(from), fence: fence && namedOf(fence), last, budget }] : []
}

function namedOf(node: YamlNode): Named {
  return { name: (node.string ?? '').trim(), span: node.span }
}

/** attach = a list of values, of paths that hold a `/`, or of `{ from: …, as: text | file }` */
function readAttachments(keys: TurnKeys, reading: TurnReading): Attachment[] {
  return (keys.get('attach')?.items() ?? []).flatMap((node) => {
    if (node.kind === 'scalar') return readAttachment(node, undefined, reading)
    if (node.kind !== 'map') {
      reading.report(problem('key-invalid', { key: 'attach', expected: 'a list of values and paths', found: kindWords(node) }, node.span))
      return []
    }
    const inner = new Keys(node, 'an attachment', ATTACHMENT_KEYS, reading.report)
    const from = inner.required('from')
    const as = inner.text('as')
    if (as !== undefined && as !== 'text' && as !== 'file')
      reading.report(
        problem('key-invalid', { key: 'as', expected: 'text or file', found: JSON.stringify(as) }, defined(inner.get('as')).span),
      )
    return from ? readAttachment(from, as === 'text' || as === 'file' ? as : undefined, reading) : []
  })
}

function readAttachment(node: YamlNode, as: Attachment['as'], { file, report, nesting }: TurnReading): Attachment[] {
  const words = (node.string ?? '').trim()
  if (words.includes('/')) {
    const path = ownPath(words, node.span, file, report)
    return path === undefined ? [] : [{ kind: 'path', path, as, span: node.span }]
  }
  const value = parseWholeText(node.source, 'attach', nesting, report, parseSlotValue)
  return value ? [{ kind: 'value', value, as, span: node.span }] : []
}
