import type { AssemblyModel, Choosing, PartModel } from './artefacts.js'
import { Keys, type KeyKind } from './keys.js'
import { ArtefactReader, type Reading } from './reading.js'
import { readDeclarations } from './variables.js'
import { problem } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'
import type { Cursor } from '../text/cursor.js'
import { parseCondition, parseLoopHead, parseSlotValue, type ValueContext } from '../text/values.js'
import { parseWholeText } from '../text/whole-text.js'
import { isName, RESERVED } from '../values/names.js'

export const ASSEMBLY_KEYS = {
  title: 'text',
  about: 'text',
  tags: 'list',
  variables: 'map',
  parts: 'map',
  text: 'text',
} as const satisfies Record<string, KeyKind>
export const PART_KEYS = {
  prompt: 'text',
  candidates: 'integer',
  distinct: 'boolean',
  choose: 'any',
  with: 'map',
  set: 'map',
  each: 'text',
  when: 'text',
  otherwise: 'text',
} as const satisfies Record<string, KeyKind>
export const CHOOSE_KEYS = { prompt: 'text' } as const satisfies Record<string, KeyKind>
export const CHOICES = ['first', 'person'] as const

/** More candidates of one part are no choice any more. */
export const MOST_CANDIDATES = 20

/** assemblies/*.yaml: several prompts, the parts, whose answers become one document. */
export function readAssembly(reading: Reading): AssemblyModel {
  return new AssemblyReader(reading).read()
}

class AssemblyReader {
  private readonly reader

  constructor(private readonly reading: Reading) {
    this.reader = new ArtefactReader(reading, 'an assembly', ASSEMBLY_KEYS)
  }

  read(): AssemblyModel {
    const { reader } = this
    const { keys, report } = reader
    const variables = keys.get('variables')
    return {
      kind: 'assembly',
      ...reader.artefact,
      title: keys.text('title') ?? this.reading.name,
      about: keys.text('about'),
      tags: keys.texts('tags') ?? [],
      variables: variables ? readDeclarations(variables, 'variable', report) : [],
      parts: (keys.required('parts')?.entries() ?? []).flatMap(({ key, keySpan, value }) =>
        this.part({ name: key.normalize('NFC'), span: keySpan }, value),
      ),
      text: reader.textAt('text'),
    }
  }

  private part({ name, span }: Pick<PartModel, 'name' | 'span'>, node: YamlNode): PartModel[] {
    const { report } = this.reader
    if (!isName(name)) report(problem('name-invalid', { name }, span))
    else if (RESERVED.has(name)) report(problem('name-reserved', { name }, span))
    const keys = new Keys(node, 'a part', PART_KEYS, report)
    const prompt = keys.required('prompt')
    const candidates = keys.number('candidates') ?? 1
    if (candidates < 1 || candidates > MOST_CANDIDATES)
      this.unfit('candidates', `a whole number from 1 to ${MOST_CANDIDATES}`, keys.get('candidates'))
    if (keys.has('otherwise') && !keys.has('when'))
      report(problem('key-missing', { key: 'when', of: 'a part with "otherwise"' }, keys.keySpan('otherwise')))
    const when = keys.get('when')
    if (!prompt) return []
    return [
      {
        name,
        span,
        prompt: { name: (prompt.string ?? '').trim(), span: prompt.span },
        candidates: Math.min(Math.max(candidates, 1), MOST_CANDIDATES),
        distinct: keys.boolean('distinct') ?? false,
        choose: this.choosing(keys.get('choose')),
        with: (keys.get('with')?.entries() ?? []).flatMap((entry) => {
          const value = this.expression(entry.value, 'with', parseSlotValue)
          return value ? [{ name: { name: entry.key.normalize('NFC'), span: entry.keySpan }, value, span: entry.keySpan }] : []
        }),
        set: (keys.get('set')?.entries() ?? []).map((entry) => ({
          name: entry.key.normalize('NFC'),
          span: entry.keySpan,
          value: entry.value.data(),
        })),
        each: this.expression(keys.get('each'), 'each', parseLoopHead),
        when: when && { condition: this.expression(when, 'when', parseCondition), span: when.span },
        otherwise: this.expression(keys.get('otherwise'), 'otherwise', parseSlotValue),
      },
    ]
  }

  private choosing(node: YamlNode | undefined): Choosing {
    if (!node) return 'first'
    if (node.kind === 'map') {
      const prompt = new Keys(node, 'choose', CHOOSE_KEYS, this.reader.report).required('prompt')
      return prompt ? { prompt: { name: (prompt.string ?? '').trim(), span: prompt.span } } : 'first'
    }
    const word = CHOICES.find((choice) => choice === node.string)
    if (!word) this.unfit('choose', 'first, person, or prompt: with the name of a prompt that scores', node)
    return word ?? 'first'
  }

  private expression<T>(node: YamlNode | undefined, what: string, read: (cursor: Cursor, context: ValueContext) => T): T | undefined {
    if (!node) return undefined
    if (node.kind === 'scalar') return parseWholeText(node.source, what, this.reading.limits.nesting, this.reader.report, read)
    this.unfit(what, 'a value, such as the name of an earlier part', node)
    return undefined
  }

  private unfit(key: string, expected: string, node: YamlNode | undefined): void {
    const found = node?.kind === 'scalar' ? JSON.stringify(node.scalar) : 'keys'
    this.reader.report(problem('key-invalid', { key, expected, found }, node?.span))
  }
}
