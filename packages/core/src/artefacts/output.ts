import { defined } from '../invariant.js'
import { SHOWS, type BoundSlot, type OneOfModel, type Named, type OutputModel, type Show, type WholeModel } from './artefacts.js'
import type { KeyKind } from './keys.js'
import { Keys } from './keys.js'
import { ArtefactReader, artefactOf, type Reading } from './reading.js'
import { readLabels } from './labels.js'
import { readSchemaOutput } from './schema-output.js'
import { readAnswerFields } from './variables.js'
import { problem } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'
import { withPassages } from '../text/passages.js'
import type { Text } from '../text/nodes.js'

export const OUTPUT_KEYS = {
  title: 'text',
  about: 'text',
  kind: 'text',
  'based-on': 'text',
  show: 'text',
  'must-say': 'list',
  'must-not-say': 'list',
} satisfies Record<string, KeyKind>

/** The keys of what an answer keeps to as a whole. */
const WHOLE_KEYS = { cites: 'text', 'max-words': 'integer', 'min-words': 'integer', 'not-counting': 'any' } as const

/** The keys of a kind, besides those of all kinds. */
export const FORM_KEYS = {
  fields: { fields: 'map', ...WHOLE_KEYS },
  'one-of': { of: 'any', field: 'text' },
  rows: { row: 'text', count: 'any' },
  document: { text: 'text', ...WHOLE_KEYS },
} satisfies Record<OutputModel['form'], Record<string, KeyKind>>
export const LABELS_KEYS = { field: 'text', examples: 'text' } as const
export const COUNT_KEYS = { min: 'any', max: 'any' } as const
const FORMS = Object.keys(FORM_KEYS) as OutputModel['form'][]
type Key = keyof typeof OUTPUT_KEYS | keyof typeof WHOLE_KEYS | 'field' | 'fields' | 'of' | 'row' | 'count' | 'text'

/** outputs/*.yaml, and outputs/*.schema.json */
export function readOutput(reading: Reading): OutputModel {
  if (reading.file.name.endsWith('.schema.json')) return readSchemaOutput(reading)
  const { report, root } = reading
  const kind = root.entries().find((entry) => entry.key === 'kind')?.value
  const form = FORMS.find((text) => text === kind?.string)
  if (!kind) report(problem('key-missing', { key: 'kind', of: 'an output' }, root.span))
  else if (!form)
    report(problem('key-invalid', { key: 'kind', expected: `one of ${FORMS.join(', ')}`, found: JSON.stringify(kind.string) }, kind.span))
  const artefact = artefactOf(reading)
  if (!form) return { kind: 'output', ...artefact, ...BARE, form: 'fields', fields: [], schema: undefined }
  return new OutputReader(reading, form).read()
}

/** The labels of an example set: by these two keys, and no others. */
function isOfSet(node: YamlNode): boolean {
  const names = node.entries().map(({ key }) => key)
  return names.length > 0 && names.every((name) => Object.hasOwn(LABELS_KEYS, name))
}

const BARE = { title: undefined, about: undefined, basedOn: undefined, show: 'none', mustSay: [], mustNotSay: [], slots: [] } as const

class OutputReader {
  private readonly reader: ArtefactReader<Key>
  private readonly slots: BoundSlot[] = []

  constructor(
    reading: Reading,
    private readonly form: OutputModel['form'],
  ) {
    this.reader = new ArtefactReader<Key>(reading, `an output of the kind ${form}`, { ...OUTPUT_KEYS, ...FORM_KEYS[form] } as Record<
      Key,
      KeyKind
    >)
  }

  read(): OutputModel {
    const { reader, form, slots } = this
    const { keys } = reader
    const common = {
      kind: 'output' as const,
      ...reader.artefact,
      title: keys.text('title'),
      about: keys.text('about'),
      basedOn: reader.named('based-on'),
      show: this.show(),
      mustSay: this.texts('must-say'),
      mustNotSay: this.texts('must-not-say'),
      slots,
    }
    switch (form) {
      case 'fields': {
        const node = this.own('fields')
        const fields = node ? readAnswerFields(node, reader.report, (path, bound, place) => this.slot(path, bound, place)) : []
        return { ...common, form, fields, schema: undefined, whole: this.whole() }
      }
      case 'one-of':
        return { ...common, form, field: keys.text('field'), ...this.labels() }
      case 'rows':
        return { ...common, form, row: this.passages('row'), ...this.count() }
      case 'document':
        return { ...common, form, text: this.passages('text'), whole: this.whole() }
    }
  }

  /** cites: references, max-words: 250, not-counting: references */
  private whole(): WholeModel | undefined {
    const { keys, report } = this.reader
    const cites = this.reader.named('cites')
    const [minWords, maxWords] = [keys.number('min-words'), keys.number('max-words')]
    if (minWords !== undefined && maxWords !== undefined && minWords > maxWords)
      report(problem('bounds-contradict', { least: `min-words: ${minWords}`, most: `max-words: ${maxWords}` }, keys.keySpan('min-words')))
    const node = keys.get('not-counting')
    const notCounting = (node?.kind === 'list' ? node.items() : node ? [node] : []).flatMap((item): Named[] => {
      if (item.string !== undefined) return [{ name: item.string, span: item.span }]
      report(problem('key-invalid', { key: 'not-counting', expected: 'a name, or a list of names', found: item.kind }, item.span))
      return []
    })
    if (node && minWords === undefined && maxWords === undefined)
      report(problem('key-missing', { key: 'max-words', of: 'an output with "not-counting"' }, keys.keySpan('not-counting')))
    return cites || minWords !== undefined || maxWords !== undefined ? { cites, minWords, maxWords, notCounting } : undefined
  }

  /** A key that the kind cannot do without, unless its base has it. */
  private own(key: Key): YamlNode | undefined {
    const { keys } = this.reader
    return keys.has('based-on') && !keys.has(key) ? undefined : keys.required(key)
  }

  private show(): Show | undefined {
    const { keys, report } = this.reader
    const stated = keys.text('show')
    const show = SHOWS.find((text) => text === stated)
    if (stated !== undefined && !show)
      report(
        problem(
          'key-invalid',
          { key: 'show', expected: `one of ${SHOWS.join(', ')}`, found: JSON.stringify(stated) },
          defined(keys.get('show')).span,
        ),
      )
    return show
  }

  private texts(key: Key): Text[] {
    const { keys, report } = this.reader
    return (keys.get(key)?.items() ?? []).flatMap((node) => {
      if (node.string !== undefined) return [this.reader.text(node)]
      report(problem('key-invalid', { key, expected: 'a list of texts', found: node.kind }, node.span))
      return []
    })
  }

  private slot(path: readonly string[], bound: string, node: YamlNode): void {
    this.slots.push({ path, bound, text: this.reader.text(node) })
  }

  /** of: the labels, or of: { field: grade, examples: condition-notes } */
  private labels(): Pick<OneOfModel, 'of' | 'labels' | 'from'> {
    const { report } = this.reader
    const node = this.own('of')
    if (node?.kind === 'map' && isOfSet(node)) {
      const from = new Keys(node, 'of', LABELS_KEYS, report)
      const field = from.required('field')
      const set = from.required('examples')
      if (!field?.string || !set?.string) return { of: [], from: undefined }
      return { of: [], from: { field: { name: field.string, span: field.span }, set: { name: set.string, span: set.span } } }
    }
    const { of, labels } = node ? readLabels(node, report) : { of: [], labels: undefined }
    if (node?.kind === 'list' && of.length === 0)
      report(problem('key-invalid', { key: 'of', expected: 'at least one label', found: 'an empty list' }, node.span))
    const folded = of.map((label) => label.trim().toLowerCase())
    folded.forEach((label, i) => {
      if (label === '' || folded.indexOf(label) < i)
        report(problem('label-invalid', { label: defined(of[i]) }, defined(node).items()[i]?.span ?? defined(node).span))
    })
    return { of, ...(labels && { labels }), from: undefined }
  }

  private passages(key: Key): Text | undefined {
    const node = this.own(key)
    if (node && key === 'row' && node.string?.trimEnd().includes('\n'))
      this.reader.report(problem('key-invalid', { key, expected: 'one line', found: 'several' }, node.span))
    return node && withPassages(this.reader.text(node), this.reader.report)
  }

  /** count: 5, or count: { min: 5, max: 10 }, each of which may be a slot */
  private count(): { min: number | undefined; max: number | undefined } {
    const { keys, report } = this.reader
    const node = keys.get('count')
    if (!node) return { min: undefined, max: undefined }
    const map = node.kind === 'map' ? new Keys(node, 'count', COUNT_KEYS, report) : undefined
    const read = (bound: 'min' | 'max'): number | undefined => {
      const place = map ? map.get(bound) : node
      if (!place) return undefined
      if (place.kind === 'scalar' && place.string?.includes('{')) this.slot([], bound, place)
      else if (typeof place.scalar === 'number' && Number.isInteger(place.scalar) && place.scalar >= 0) return place.scalar
      else if (map || bound === 'min')
        report(
          problem(
            'key-invalid',
            { key: map ? bound : 'count', expected: 'a whole number', found: JSON.stringify(place.data()) },
            place.span,
          ),
        )
      return undefined
    }
    const [min, max] = [read('min'), read('max')]
    if (min !== undefined && max !== undefined && min > max)
      report(problem('bounds-contradict', { least: `min: ${min}`, most: `max: ${max}` }, node.span))
    return { min, max }
  }
}
