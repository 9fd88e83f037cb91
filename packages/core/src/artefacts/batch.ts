import { readAmount } from './amounts.js'
import { defined } from '../invariant.js'
import type { BatchModel, ColumnModel, JoinModel, BatchCondition, TableModel } from './artefacts.js'
import { Keys } from './keys.js'
import { ownPath } from './paths.js'
import { ArtefactReader, type Reading } from './reading.js'
import { problem } from '../problems/problem.js'
import { Source } from '../source/source.js'
import { equalitiesOf } from '../text/paths.js'
import type { YamlNode } from '../source/yaml.js'
import { parseWholeText } from '../text/whole-text.js'
import { parseText } from '../text/parse.js'
import { parseCondition } from '../text/values.js'
import { isName } from '../values/names.js'
import { BOOLEAN, DATE, DATE_TIME, INTEGER, NUMBER, TEXT, type ValueType } from '../values/types.js'

export const BATCH_KEYS = {
  title: 'text',
  about: 'text',
  prompt: 'text',
  records: 'map',
  join: 'list',
  keep: 'text',
  columns: 'map',
  set: 'map',
  name: 'text',
  take: 'integer',
  sample: 'any',
  seed: 'integer',
  to: 'text',
  envelope: 'text',
  tokens: 'boolean',
  'raw-cells': 'boolean',
  flatten: 'any',
  'keep-turns': 'boolean',
  budget: 'any',
  send: 'list',
} as const
export const TABLE_KEYS = { from: 'text', as: 'text', format: 'text', sheet: 'text', query: 'text', encoding: 'text' } as const
export const JOIN_KEYS = { ...TABLE_KEYS, where: 'text', many: 'boolean', of: 'text' } as const
export const COLUMN_KEYS = { heading: 'text', type: 'text' } as const
export const SAMPLE_KEYS = { count: 'integer', seed: 'integer' } as const
export const SENDING_KEYS = { when: 'text', to: 'text' } as const

/** Formats of tables, for files whose ending does not name it. */
export const TABLE_FORMATS = ['csv', 'tsv', 'jsonl', 'json', 'yaml', 'xlsx', 'parquet', 'sqlite'] as const
export type TableFormat = (typeof TABLE_FORMATS)[number]

/** The types that a batch gives to columns which the prompt does not declare. */
export const COLUMN_TYPES: Readonly<Record<string, ValueType>> = {
  text: TEXT,
  integer: INTEGER,
  number: NUMBER,
  boolean: BOOLEAN,
  date: DATE,
  'date-time': DATE_TIME,
}

/** batches/*.yaml: which prompt is rendered for which records, and where they go. */
export function readBatch(reading: Reading): BatchModel {
  return new BatchReader(reading).read()
}

class BatchReader {
  private readonly reader

  constructor(private readonly reading: Reading) {
    this.reader = new ArtefactReader(reading, 'a batch', BATCH_KEYS)
  }

  read(): BatchModel {
    const { reader } = this
    const { keys } = reader
    keys.required('prompt')
    const node = keys.required('records')
    const records = node && this.table(new Keys(node, 'records', TABLE_KEYS, reader.report))
    return {
      kind: 'batch',
      ...reader.artefact,
      title: keys.text('title'),
      about: keys.text('about'),
      prompt: reader.named('prompt'),
      records,
      join: (keys.get('join')?.items() ?? []).flatMap((yamlNode) => this.join(yamlNode)),
      keep: this.condition(keys.get('keep'), 'keep'),
      columns: this.columns(keys.get('columns')),
      set: (keys.get('set')?.data() ?? {}) as Record<string, unknown>,
      setSpans: new Map((keys.get('set')?.entries() ?? []).map(({ key, keySpan }) => [key, keySpan])),
      called: reader.textAt('name'),
      take: this.counted('take'),
      sample: this.sample(keys.get('sample')),
      seed: keys.number('seed'),
      to: this.to(keys.get('to')),
      envelope: reader.named('envelope'),
      tokens: keys.boolean('tokens') ?? false,
      rawCells: keys.boolean('raw-cells') ?? false,
      flatten: this.flatten(keys.get('flatten')),
      keepTurns: keys.boolean('keep-turns') ?? false,
      budget: this.budget(keys.get('budget')),
      send: (keys.get('send')?.items() ?? []).flatMap((yamlNode) => this.send(yamlNode)),
    }
  }

  private table(keys: Pick<Keys<keyof typeof TABLE_KEYS>, 'required' | 'get' | 'text'>): TableModel | undefined {
    const from = keys.required('from')
    const path = from && ownPath(from.string ?? '', from.span, this.reading.file.name, this.reader.report)
    if (path === undefined) return undefined
    const format = keys.get('format')
    if (format && !isFormat(format.string)) this.unfit('format', `one of ${TABLE_FORMATS.join(', ')}`, format)
    return {
      path,
      span: defined(from).span,
      as: this.variable(keys.get('as')),
      format: isFormat(format?.string) ? format.string : undefined,
      sheet: keys.text('sheet'),
      query: keys.text('query'),
      encoding: keys.text('encoding'),
    }
  }

  private join(node: YamlNode): JoinModel[] {
    const keys = new Keys(node, 'a join', JOIN_KEYS, this.reader.report)
    const table = this.table(keys)
    keys.required('as')
    keys.required('where')
    const where = this.condition(keys.get('where'), 'where')
    const record = this.reader.keys
      .get('records')
      ?.entries()
      .find(({ key }) => key === 'as')?.value.string
    // A name that the record has is another fault: see batchOf.
    if (where && table?.as !== undefined && table.as !== record && !equalitiesOf(where.condition, table.as))
      this.reader.report(problem('join-unequal', { as: table.as }, where.span))
    return table?.as !== undefined && where
      ? [{ ...table, as: table.as, where, many: keys.boolean('many') ?? false, of: keys.text('of') }]
      : []
  }

  private variable(node: YamlNode | undefined): string | undefined {
    const name = node?.string?.normalize('NFC')
    if (name === undefined || isName(name)) return name
    this.reader.report(problem('name-invalid', { name }, defined(node).span))
    return undefined
  }

  private condition(node: YamlNode | undefined, what: string): BatchCondition | undefined {
    if (!node) return undefined
    const { report } = this.reader
    const condition = parseWholeText(node.source, what, this.reading.limits.nesting, report, parseCondition)
    return condition && { condition, span: node.span }
  }

  private columns(node: YamlNode | undefined): ReadonlyMap<string, ColumnModel> {
    const columns = new Map<string, ColumnModel>()
    for (const { key, keySpan, value } of node?.entries() ?? []) {
      if (value.kind === 'scalar') columns.set(key, { heading: value.string ?? '', type: undefined, span: keySpan })
      else if (value.kind === 'map') {
        const keys = new Keys(value, 'a column', COLUMN_KEYS, this.reader.report)
        const named = keys.get('type')
        const type = named && (Object.hasOwn(COLUMN_TYPES, named.string ?? '') ? COLUMN_TYPES[defined(named.string)] : undefined)
        if (named && !type) this.unfit('type', `one of ${Object.keys(COLUMN_TYPES).join(', ')}`, named)
        columns.set(key, { heading: keys.text('heading'), type, span: keySpan })
      } else this.unfit(key, 'a heading, or heading: and type:', value)
    }
    return columns
  }

  /** flatten: answer.rows, or a list of such paths */
  private flatten(node: YamlNode | undefined): readonly string[] {
    if (!node) return []
    const paths = (node.kind === 'list' ? node.items() : [node]).map((item) => item.string?.trim() ?? '')
    if (!paths.every((path) => /^answer(?:\.|$)/.test(path))) this.unfit('flatten', 'a path such as answer.rows, or a list of them', node)
    return paths
  }

  private counted(key: 'take'): number | undefined {
    const node = this.reader.keys.get(key)
    const count = this.reader.keys.number(key)
    if (count === undefined || count >= 1) return count
    this.unfit(key, 'a whole number from 1', defined(node))
    return undefined
  }

  private sample(node: YamlNode | undefined): BatchModel['sample'] {
    if (!node) return undefined
    const count = node.kind === 'map' ? new Keys(node, 'a sample', SAMPLE_KEYS, this.reader.report) : undefined
    const many = count ? count.number('count') : node.scalar
    if (Number.isInteger(many) && Number(many) >= 1) return { count: Number(many), seed: count?.number('seed') ?? 0 }
    this.unfit('sample', 'a whole number from 1, or count: and seed:', node)
    return undefined
  }

  private budget(node: YamlNode | undefined): number | undefined {
    const number = node && readAmount(node.string ?? '')
    if (node && number === undefined) this.unfit('budget', 'a number of tokens such as 500k or 2m', node)
    return number
  }

  /** Where the records go: a path below the library's folder, in which slots may stand. */
  private to(node: YamlNode | undefined): BatchModel['to'] {
    if (!node) return undefined
    const path = ownPath(node.string ?? '', node.span, this.reading.file.name, this.reader.report)
    if (path === undefined) return undefined
    this.reader.text(node)
    return { path, span: node.span, text: parseText(new Source(node.file.name, path), () => undefined) }
  }

  private send(node: YamlNode): BatchModel['send'] {
    const keys = new Keys(node, 'a sending', SENDING_KEYS, this.reader.report)
    keys.required('when')
    const to = keys.required('to')
    const path = to && ownPath(to.string ?? '', to.span, this.reading.file.name, this.reader.report)
    const when = this.condition(keys.get('when'), 'when')
    return when && path !== undefined ? [{ when, path, span: defined(to).span }] : []
  }

  private unfit(key: string, expected: string, node: YamlNode): void {
    this.reader.report(
      problem('key-invalid', { key, expected, found: node.kind === 'scalar' ? JSON.stringify(node.scalar) : 'keys' }, node.span),
    )
  }
}

function isFormat(name: string | undefined): name is TableFormat {
  return (TABLE_FORMATS as readonly (string | undefined)[]).includes(name)
}
