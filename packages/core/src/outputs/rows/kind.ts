import { defined } from '../../invariant.js'
import { matchLine } from './match.js'
import { instructRows, readRows } from './rows.js'
import { itemsOf, withItem } from '../list-items.js'
import type { OutputKind, Way } from '../kind.js'
import { passageFields } from '../passages.js'
import type { SampleRandom } from '../sample/random.js'
import { samplePassage } from '../sample/passages.js'
import { around, onlyOfText } from '../sample/ways.js'
import { typedValue } from '../passages.js'
import { passagesOf, type RowsShape } from '../shape.js'
import { DRAFT, innerSchema, schemaOf, type JsonSchema } from '../../interop/to-schema.js'
import { isRecord, own, put } from '../../values/data.js'

type Row = Record<string, unknown>

/** A line pattern, repeated. */
export const rowsKind: OutputKind<RowsShape> = {
  form: 'rows',
  instruct: instructRows,
  schema: (shape, strict) => ({
    $schema: DRAFT,
    title: shape.name,
    type: 'object',
    properties: { rows: listSchema(shape, strict) },
    required: ['rows'],
    additionalProperties: false,
  }),
  read: readRows,
  columns: (_, value) => ({ rows: own(value, 'rows') ?? null }),
  parts: (_, value) => itemsOf(own(value, 'rows')).map((_, i) => `rows.${i + 1}`),
  exchange: (_, value, other, part) => ({ rows: withItem(rowsOf(value), rowsOf(other), Number(part.slice('rows.'.length)) - 1) }),
  write: (shape, value) => (shape.show === 'json-schema' ? JSON.stringify(value) : written(shape, rowsOf(value))),
  sample: (shape, random) => {
    const least = shape.min ?? Math.min(1, shape.max ?? 1)
    const count = random.whole(Math.max(least, 1), Math.max(least, 1, Math.min(shape.max ?? least + 2, least + 4)))
    return { rows: Array.from({ length: count }, () => sampleRow(shape, random)) }
  },
  ways: onlyOfText<RowsShape>([
    ...around<RowsShape>((shape, value) => rowsKind.write(shape, value), '').map((way) => ({ ...way, make: unlessTaken(way.make) })),
    { name: 'numbered', wrong: false, make: (shape, value) => marked(shape, value, (i) => `${i + 1}. `) },
    { name: 'bulleted', wrong: false, make: (shape, value) => marked(shape, value, () => '- ') },
    { name: 'in-json', wrong: false, make: (_, value) => JSON.stringify(value) },
    {
      name: 'too-few',
      wrong: true,
      make: (shape, value) =>
        shape.min !== undefined && shape.min > 0 ? written(shape, rowsOf(value).slice(0, shape.min - 1)) : undefined,
    },
    {
      name: 'too-many',
      wrong: true,
      make: (shape, value) => {
        const rows = rowsOf(value)
        if (shape.max === undefined || rows.length === 0) return undefined
        return written(
          shape,
          Array.from({ length: shape.max + 1 }, (_, i) => defined(rows[i % rows.length])),
        )
      },
    },
    {
      name: 'broken-row',
      wrong: true,
      make: (shape, value) => {
        const solid = shape.segments.some((segment) => segment.kind !== 'passage' && /[^\s\p{L}]/u.test(segment.text))
        return solid ? `${rowsKind.write(shape, value)}\nand so on` : undefined
      },
    },
    { name: 'empty', wrong: true, make: () => '' },
  ]),
}

/** Words around the rows are separated from them only if they are not in their form. */
function unlessTaken(make: Way<RowsShape>['make']): Way<RowsShape>['make'] {
  return (shape, value, random) => {
    const reply = make(shape, value, random)
    const own = rowsOf(value).map((row) => line(shape, row))
    const others = reply?.split('\n').filter((line) => line.trim() !== '' && !own.includes(line)) ?? []
    return others.some((text) => matchLine(shape.segments, text)) ? undefined : reply
  }
}

function rowsOf(value: unknown): Row[] {
  const rows = own(value, 'rows')
  return Array.isArray(rows) ? rows.filter(isRecord) : []
}

function written(shape: RowsShape, rows: readonly Row[]): string {
  return rows.map((row) => line(shape, row)).join('\n')
}

function line({ segments }: RowsShape, row: Row): string {
  const isThere = (name: string) => row[name] !== null && row[name] !== undefined
  return segments
    .map((segment) => (segment.kind === 'passage' ? (isThere(segment.name) ? String(row[segment.name]) : '') : segment.text))
    .join('')
}

function sampleRow(shape: RowsShape, random: SampleRandom): Row {
  const row: Row = {}
  for (const segment of passagesOf(shape)) {
    const text = samplePassage(segment, random, true)
    put(row, segment.name, segment.type === 'text' ? text : typedValue(segment.type, text))
  }
  return row
}

function marked(shape: RowsShape, value: unknown, mark: (i: number) => string): string | undefined {
  const [first] = shape.segments
  if (first?.kind !== 'passage' && /^\s*(?:[-*+•–]|\d)/.test(first?.text ?? '')) return undefined
  return rowsOf(value)
    .map((row, i) => mark(i) + line(shape, row))
    .join('\n')
}

function listSchema(shape: RowsShape, strict: boolean): JsonSchema {
  const items = innerSchema(schemaOf(passageFields(shape.segments), undefined, { closed: true, boundsInText: true, strict }))
  return {
    type: 'array',
    ...(shape.about !== undefined && { description: shape.about }),
    items,
    ...(shape.min !== undefined && { minItems: shape.min }),
    ...(shape.max !== undefined && { maxItems: shape.max }),
  }
}
