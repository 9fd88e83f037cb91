import type { Bound, Named, PromptModel } from './artefacts.js'
import type { YamlNode } from '../source/yaml.js'
import type { KeyKind } from './keys.js'
import { ArtefactReader, type Reading } from './reading.js'
import { readSettings } from './settings.js'
import { readTurn, readTurns, type TurnReading } from './turns.js'
import { readDeclarations } from './variables.js'
import { problem } from '../problems/problem.js'

export const PROMPT_KEYS = {
  title: 'text',
  about: 'text',
  tags: 'list',
  'based-on': 'text',
  bind: 'map',
  replace: 'map',
  'add-turns': 'list',
  without: 'list',
  locale: 'text',
  persona: 'text',
  variables: 'map',
  turns: 'list',
  output: 'text',
  personal: 'list',
  'only-mentioned': 'list',
  tool: 'boolean',
  trusted: 'boolean',
  settings: 'map',
} satisfies Record<string, KeyKind>
type Reader = ArtefactReader<keyof typeof PROMPT_KEYS>

/** prompts/*.yaml */
export function readPrompt(reading: Reading): PromptModel {
  const reader: Reader = new ArtefactReader(reading, 'a prompt', PROMPT_KEYS)
  const { keys, report } = reader
  const title = keys.required('title')?.string ?? reading.name
  const basedOn = reader.named('based-on')
  if (basedOn && keys.has('turns')) report(problem('base-turns', {}, keys.keySpan('turns')))
  if (!basedOn) {
    keys.required('turns')
    for (const key of ['bind', 'replace', 'add-turns', 'without'] as const) {
      if (keys.has(key)) report(problem('key-missing', { key: 'based-on', of: `a prompt with "${key}"` }, keys.keySpan(key)))
    }
  }
  const variables = keys.get('variables')
  const inTurns: TurnReading = {
    file: reader.reading.file.name,
    report,
    nesting: reader.reading.limits.nesting,
    text: (node) => reader.text(node),
  }
  return {
    kind: 'prompt',
    ...reader.artefact,
    title,
    about: keys.text('about'),
    tags: keys.texts('tags') ?? [],
    basedOn,
    bind: readBound(reader),
    replace: (keys.get('replace')?.entries() ?? []).flatMap(({ key, keySpan, value }) =>
      readTurn(value, inTurns).map((turn) => ({ name: key, span: keySpan, turn })),
    ),
    addTurns: (keys.get('add-turns')?.items() ?? []).flatMap((node) => readTurn(node, inTurns)),
    without: (keys.get('without')?.items() ?? []).map((node) => ({ name: (node.string ?? '').trim(), span: node.span })),
    variables: variables ? readDeclarations(variables, 'variable', report) : [],
    turns: readTurns(keys.get('turns'), inTurns),
    persona: reader.textAt('persona'),
    output: reader.textAt('output'),
    locale: reader.textAt('locale'),
    personal: namesIn(keys.get('personal')),
    onlyMentioned: namesIn(keys.get('only-mentioned')),
    isTool: keys.boolean('tool') ?? false,
    isTrusted: keys.boolean('trusted') ?? false,
    settings: readSettings(keys.get('settings'), report),
  }
}

function namesIn(node: YamlNode | undefined): Named[] {
  return (node?.items() ?? []).map((item) => ({ name: (item.string ?? '').trim(), span: item.span }))
}

function readBound(reader: Reader): Bound[] {
  return (reader.keys.get('bind')?.entries() ?? []).map(({ key, keySpan, value }) => ({
    name: key,
    span: keySpan,
    text: reader.text(value),
  }))
}
