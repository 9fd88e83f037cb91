import type { Bound, Named, PromptModel, Role, TurnModel } from './artefacts.js'
import { kindWords, Keys, type KeyKind } from './keys.js'
import { ArtefactReader, type Reading } from './reading.js'
import { readSettings } from './settings.js'
import { readDeclarations } from './variables.js'
import { problem } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'
import type { Text } from '../text/nodes.js'

const KEYS = {
  title: 'text',
  about: 'text',
  tags: 'list',
  version: 'integer',
  'based-on': 'text',
  bind: 'map',
  replace: 'map',
  'add-turns': 'list',
  locale: 'text',
  persona: 'text',
  variables: 'map',
  turns: 'list',
  output: 'text',
  settings: 'map',
} satisfies Record<string, KeyKind>
type Reader = ArtefactReader<keyof typeof KEYS>

const ROLES = ['system', 'user', 'assistant'] as const
const TURN_KEYS = {
  system: 'text',
  user: 'text',
  assistant: 'text',
  history: 'any',
  examples: 'text',
  ask: 'text',
  name: 'text',
  with: 'map',
  to: 'text',
  attach: 'any',
  each: 'text',
  turns: 'list',
} satisfies Record<string, KeyKind>

/** prompts/*.yaml */
export function readPrompt(reading: Reading): PromptModel {
  const reader: Reader = new ArtefactReader(reading, 'a prompt', KEYS)
  const { keys, report } = reader
  const title = keys.required('title')?.string ?? reading.name
  const basedOn = reader.named('based-on')
  if (basedOn && keys.has('turns')) report(problem('base-turns', {}, keys.keySpan('turns')))
  if (!basedOn) {
    keys.required('turns')
    for (const key of ['bind', 'replace', 'add-turns'] as const) {
      if (keys.has(key)) report(problem('key-missing', { key: 'based-on', of: `a prompt with "${key}"` }, keys.keySpan(key)))
    }
  }
  const variables = keys.get('variables')
  return {
    kind: 'prompt',
    ...reader.artefact,
    title,
    about: keys.text('about'),
    tags: keys.texts('tags') ?? [],
    version: keys.number('version'),
    basedOn,
    bind: readBound(reader),
    replace: (keys.get('replace')?.entries() ?? []).flatMap(({ key, keySpan, value }) =>
      readTurn(reader, value).map((turn) => ({ name: key, span: keySpan, turn })),
    ),
    addTurns: (keys.get('add-turns')?.items() ?? []).flatMap((node) => readTurn(reader, node)),
    variables: variables ? readDeclarations(variables, 'variable', report) : [],
    turns: readTurns(reader),
    persona: reader.textAt('persona'),
    output: reader.textAt('output'),
    locale: reader.textAt('locale'),
    settings: readSettings(keys.get('settings'), report),
  }
}

function readTurns(reader: Reader): TurnModel[] {
  const node = reader.keys.get('turns')
  if (node?.items().length === 0)
    reader.report(problem('key-unfit', { key: 'turns', expected: 'at least one turn', found: 'an empty list' }, node.span))
  return (node?.items() ?? []).flatMap((item) => readTurn(reader, item))
}

function readBound(reader: Reader): Bound[] {
  return (reader.keys.get('bind')?.entries() ?? []).map(({ key, keySpan, value }) => ({
    name: key,
    span: keySpan,
    text: reader.text(value),
  }))
}

/** turn = one of system, user, assistant, history, examples, ask, and by choice a name */
function readTurn(reader: Reader, node: YamlNode): TurnModel[] {
  const { report } = reader
  if (node.kind !== 'map') {
    report(problem('key-unfit', { key: 'turns', expected: 'turns such as "- user: …"', found: kindWords(node) }, node.span))
    return []
  }
  const keys = new Keys<keyof typeof TURN_KEYS>(node, 'a turn', TURN_KEYS, report)
  for (const key of ['attach', 'each', 'turns', 'to'] as const)
    if (keys.has(key)) report(problem('not-here-yet', { what: `"${key}" in a turn` }, keys.keySpan(key)))
  const common = { name: keys.text('name'), span: node.span }
  const says = [...ROLES, 'history', 'examples', 'ask', 'each'] as const
  const present = says.filter((key) => keys.has(key))
  if (present.length > 1)
    report(
      problem(
        'key-unfit',
        { key: present[1]!, expected: `a turn of its own, not one beside "${present[0]!}"`, found: 'both' },
        keys.keySpan(present[1]!),
      ),
    )
  const [what] = present
  const value = what && keys.get(what)
  if (!what || (!value && (ROLES as readonly string[]).includes(what) && !keys.has(what))) {
    report(problem('key-missing', { key: 'user', of: 'a turn (or system, assistant, history, examples, ask)' }, node.span))
    return []
  }
  if (!value) return []
  switch (what) {
    case 'history':
      return readHistory(reader, value, common)
    case 'examples':
      return [{ kind: 'examples', ...common, set: namedOf(value) }]
    case 'ask': {
      const given = (keys.get('with')?.entries() ?? []).map((e) => ({ name: e.key, span: e.keySpan, text: reader.text(e.value) }))
      return [{ kind: 'ask', ...common, set: namedOf(value), with: given }]
    }
    case 'each':
      return []
    default:
      return [textTurn(what, reader.text(value), common, reader)]
  }
}

function textTurn(role: Role, text: Text, common: { name: string | undefined; span: TurnModel['span'] }, reader: Reader): TurnModel {
  if (role === 'assistant' && /[ \t]\n?$/.test(text.source.text)) {
    const end = text.source.text.trimEnd().length
    reader.report(problem('started-answer-blank', {}, text.source.span(end, end + 1)))
  }
  return { kind: 'text', ...common, role, text }
}

function namedOf(node: YamlNode): Named {
  return { name: (node.string ?? '').trim(), span: node.span }
}

function readHistory(reader: Reader, node: YamlNode, common: { name: string | undefined; span: TurnModel['span'] }): TurnModel[] {
  if (node.kind === 'scalar') return [{ kind: 'history', ...common, from: namedOf(node), fence: undefined }]
  const keys = new Keys<'from' | 'fence'>(node, 'a history', { from: 'text', fence: 'text' }, reader.report)
  const from = keys.required('from')
  const fence = keys.get('fence')
  return from ? [{ kind: 'history', ...common, from: namedOf(from), fence: fence && namedOf(fence) }] : []
}
