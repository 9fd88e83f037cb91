import { batchModel, type BatchModel, type Library } from 'dunelight'
import { nearest, TABLE_FORMATS, type TableFormat, defined } from 'dunelight/host'
import type { TableFile } from '@dunelight/node'
import { tableFile } from '@dunelight/node/host'
import { dirname, join, resolve } from 'node:path'
import { WrongUse } from '../ui/context.js'

/** Options that describe a table. */
export interface TableFlags {
  readonly records?: string
  readonly format?: string
  readonly sheet?: string
  readonly query?: string
  readonly encoding?: string
}

/** Options that override a batch's file, or replace one. */
export interface BatchFlags extends TableFlags {
  readonly as?: string
  readonly join?: string[]
  readonly keep?: string
  readonly column?: string[]
  readonly name?: string
  readonly take?: number
  readonly sample?: number
  readonly seed?: number
  readonly to?: string
  readonly envelope?: string
  readonly tokens?: boolean
  readonly rawCells?: boolean
  readonly flatten?: string[]
  readonly keepTurns?: boolean
  readonly budget?: string
}

/** The table that the options name. */
export function tableOf({ records, format, sheet, query, encoding }: TableFlags): TableFile | undefined {
  if (records === undefined) {
    for (const [flag, text] of Object.entries({ format, sheet, query, encoding }))
      if (text !== undefined) throw new WrongUse(`--${flag} needs --records`, 'add --records FILE')
    return undefined
  }
  if (format !== undefined && !(TABLE_FORMATS as readonly string[]).includes(format)) {
    const near = nearest(format, TABLE_FORMATS)
    throw new WrongUse(`unknown table format "${format}"`, near ? `did you mean "${near}"?` : `formats: ${TABLE_FORMATS.join(', ')}`)
  }
  return {
    from: records,
    ...(format !== undefined && { format: format as TableFormat }),
    ...(sheet !== undefined && { sheet }),
    ...(query !== undefined && { query }),
    ...(encoding !== undefined && { encoding }),
  }
}

export interface NamedBatch {
  /** Undefined where options describe it. */
  readonly name: string | undefined
  readonly model: BatchModel
  readonly records: TableFile | undefined
  /** Where its output goes, from where the command was started. */
  readonly to: string | undefined
}

/** The batch of that name, overridden by the options; or a prompt with a table. */
export function namedBatch(library: Library, folder: string, what: string, flags: BatchFlags): NamedBatch {
  const file = library.artefacts.batches.get(what)
  const { prompts, assemblies } = library.artefacts
  if (!file && !prompts.has(what) && !assemblies.has(what)) {
    const known = [...library.artefacts.batches.keys(), ...library.askableNames()]
    const near = nearest(what, known)
    throw new WrongUse(
      `the library has no batch and no prompt "${what}"`,
      near ? `did you mean "${near}"?` : `dunelight list ${folder} shows what it contains`,
    )
  }
  const table = tableOf(flags)
  if (!file && !table)
    throw new WrongUse(
      `"${what}" is ${prompts.has(what) ? 'a prompt' : 'an assembly'}: it needs a table`,
      'add --records FILE, or name a batch',
    )
  const { to, more } = toFlag(flags.to)
  const model = overlaid(file ?? batchModel({ prompt: what, records: { from: 'records' } }), flags, more)
  const records = table ?? (model.records && tableFile(folder, model.records))
  return { name: file && what, model, records, to }
}

/** A key that an option gives: by the option's name, and as a batch file would have it. */
interface Given {
  readonly flag: string
  readonly keys: Readonly<Record<string, unknown>>
  readonly take: (model: BatchModel) => Partial<BatchModel>
}

/** A batch with what the options give in place of its own keys. Their problems name the option. */
function overlaid(base: BatchModel, flags: BatchFlags, more: Readonly<Record<string, unknown>>): BatchModel {
  const content = base.content as { columns?: object; join?: unknown[]; records?: object }
  const given = givenBy(flags, content, more)
  const models = given.map(({ flag, keys, take }) =>
    take(batchModel({ prompt: base.prompt?.name ?? '', records: content.records, ...keys }, flag)),
  )
  const keys = Object.assign({}, ...given.map((item) => item.keys)) as object
  return Object.assign({}, base, ...models, { content: { ...content, ...keys } }) as BatchModel
}

function givenBy(
  { keep, name, take, sample, seed, envelope, tokens, rawCells, flatten, keepTurns, budget, as, column, join: joins }: BatchFlags,
  content: { columns?: object; join?: unknown[]; records?: object },
  more: Readonly<Record<string, unknown>>,
): Given[] {
  const all: (Given | false)[] = [
    keep !== undefined && { flag: '--keep', keys: { keep }, take: (model) => ({ keep: model.keep }) },
    name !== undefined && { flag: '--name', keys: { name }, take: ({ called }) => ({ called }) },
    take !== undefined && { flag: '--take', keys: { take }, take: (model) => ({ take: model.take }) },
    sample !== undefined && {
      flag: '--sample',
      keys: { sample: { count: sample, ...(seed !== undefined && { seed }) } },
      take: (model) => ({ sample: model.sample }),
    },
    seed !== undefined && { flag: '--seed', keys: { seed }, take: (model) => ({ seed: model.seed }) },
    envelope !== undefined && { flag: '--envelope', keys: { envelope }, take: (model) => ({ envelope: model.envelope }) },
    tokens === true && { flag: '--tokens', keys: { tokens }, take: (model) => ({ tokens: model.tokens }) },
    rawCells === true && { flag: '--raw-cells', keys: { 'raw-cells': true }, take: (model) => ({ rawCells: model.rawCells }) },
    flatten !== undefined && { flag: '--flatten', keys: { flatten }, take: (model) => ({ flatten: model.flatten }) },
    keepTurns === true && { flag: '--keep-turns', keys: { 'keep-turns': true }, take: (model) => ({ keepTurns: model.keepTurns }) },
    budget !== undefined && { flag: '--budget', keys: { budget }, take: (model) => ({ budget: model.budget }) },
    as !== undefined && { flag: '--as', keys: { records: { ...content.records, as } }, take: ({ records }) => ({ records }) },
    column !== undefined && {
      flag: '--column',
      keys: { columns: { ...content.columns, ...Object.fromEntries(column.map(pairOf)) } },
      take: ({ columns }) => ({ columns }),
    },
    joins !== undefined && {
      flag: '--join',
      keys: { join: [...(content.join ?? []), ...joins.map(joinOf)] },
      take: ({ join }) => ({ join }),
    },
    'to' in more && { flag: '--to', keys: more, take: (model) => ({ to: model.to }) },
  ]
  return all.filter((item) => item !== false)
}

function pairOf(text: string): [string, string] {
  const position = text.indexOf('=')
  if (position < 1) throw new WrongUse(`--column needs variable=heading, not "${text}"`, 'write --column "item.number=Object No."')
  return [text.slice(0, position).trim(), text.slice(position + 1).trim()]
}

/** `rooms.json as room where item.room is room.code`; `as room many` for all rows that match. */
function joinOf(text: string): Record<string, unknown> {
  const [, from, as, many, where] = /^\s*(.+?)\s+as\s+(\S+)(\s+many)?\s+where\s+(.+)$/.exec(text) ?? []
  if (from === undefined)
    throw new WrongUse(`invalid --join "${text}"`, 'write --join "data/rooms.json as room where item.room is room.code"')
  return { from: `../${from}`, as, where, ...(many !== undefined && { many: true }) }
}

/**
 * Where an option puts the output. A batch's own path is relative to its library, an option's to the working directory; what differs from
 * record to record is for the batch to read.
 */
function toFlag(to: string | undefined): { to: string | undefined; more: Record<string, unknown> } {
  if (to === undefined || !to.includes('{')) return { to, more: to === undefined ? {} : { to: undefined } }
  const base = dirname(`${defined(to.split('{')[0])}x`)
  const pattern = to.slice(base === '.' && !to.startsWith('./') ? 0 : base.length + 1)
  return { to: join(resolve(base), pattern), more: { to: `../${pattern}` } }
}
