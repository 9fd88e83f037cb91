import { defined } from '../invariant.js'
import { DEFAULT_LIMITS, type BatchModel, type ColumnModel, type JoinModel } from '../artefacts/artefacts.js'
import { readBatch } from '../artefacts/batch.js'
import { pathsOfRecord } from '../library/batch-checks.js'
import type { Assembly } from '../library/assembly.js'
import { AssemblyWriter, previewAssembly } from '../library/assembly-preview.js'
import type { PreparedValues } from '../library/prepared-values.js'
import type { RenderOptions } from '../library/rendering.js'
import type { Turn } from '../render/render.js'
import type { Library } from '../library/library.js'
import type { AnswerColumn } from '../outputs/columns.js'
import type { AnyValues, Prompt } from '../library/prompt.js'
import { problem, ProblemError, type Problem, type Report } from '../problems/problem.js'
import { Source } from '../source/source.js'
import { nodesOf } from '../source/yaml.js'
import { EnvelopeWriter } from '../library/envelope.js'
import { StandardWriter, type LineWriter } from '../library/line.js'
import { equalitiesOf, pathsIn, type Equality } from '../text/paths.js'
import { Pool } from './pool.js'
import { BatchRows } from './rows.js'
import { nameOf } from './scope.js'
import type { Path } from '../text/nodes.js'
import { itemType, type Declared } from '../values/types.js'

export interface BatchOptions {
  /** Values that are the same for all records, over those that the batch sets. */
  readonly values?: AnyValues
  readonly locale?: string
  /** The record variable that gets the row. Default: the only one. */
  readonly as?: string
}

/** A join with its parsed `where`. */
export interface ReadyJoin {
  readonly model: JoinModel
  readonly equalities: readonly Equality[]
}

/**
 * A batch, checked against its library: it makes records of rows, and lines of records. Reading and writing is the caller's.
 *
 * @example
 * const library = await openLibrary('demo/marram-house')
 * batchOf(library, library.artefacts.batches.get('tonight')).prompt.name // => 'label/write'
 */
export class Batch {
  readonly joins: readonly ReadyJoin[]

  constructor(
    readonly prompt: Prompt,
    readonly model: BatchModel,
    /** The compiler of its conditions and names, and the place of its envelope. */
    readonly library: Library | undefined,
    readonly values: AnyValues,
    readonly locale: string | undefined,
    /** The assembly whose values the records are; `prompt` then only takes them. */
    readonly assembly?: Assembly,
  ) {
    this.joins = readyJoins(model)
  }

  /** The columns that an answer fills. */
  get answerColumns(): readonly AnswerColumn[] {
    return (this.assembly ?? this.prompt).answerColumns
  }

  /** An empty pool for each join, to be filled with its table. */
  pools(): Pool[] {
    return this.joins.map(
      ({ model, equalities }) =>
        new Pool(
          model,
          equalities.map(({ mine }) => mine),
          fieldsOf(
            this.prompt.variables.find((d) => d.name === model.as),
            model.of,
          ),
          this.withTypes(equalities),
          this.locale,
        ),
    )
  }

  /** Keys that nothing types are read as their other side is. */
  private withTypes(equalities: readonly Equality[]): ReadonlyMap<string, ColumnModel> {
    const columns = new Map(this.model.columns)
    for (const { mine, other } of equalities) {
      const variable = this.prompt.variables.find((d) => d.name === other.name)
      const declared = other.steps.length === 0 ? variable : fieldsOf(variable).find((d) => d.name === defined(other.steps[0]).key)
      const path = `${mine.name}.${defined(mine.steps[0]).key}`
      const known = columns.get(path)
      if (declared && !known?.type) columns.set(path, { heading: known?.heading, type: declared.type, span: mine.span })
    }
    return columns
  }

  /** The records of a table with these headings, named by the column with the heading `named`, or by the batch's own `name`. */
  rows(headings: readonly string[], pools: readonly Pool[], named?: string): BatchRows {
    return new BatchRows(this, headings, pools, named)
  }

  /** Whether each record goes to a place of its own. */
  get perRecord(): boolean {
    return this.model.to !== undefined && pathsIn(this.model.to.text).length > 0
  }

  /** Everything that conditions, names and joins look at. */
  get paths(): readonly Path[] {
    return [...pathsOfRecord(this.model), ...this.joins.flatMap(({ equalities }) => equalities.map(({ other }) => other))]
  }

  /** What would be sent for a record: the turns of each request, and how often. Answers that later parts need are samples. */
  requests(prepared: PreparedValues, options: RenderOptions): readonly { readonly turns: readonly Turn[]; readonly times: number }[] {
    if (!this.assembly) return [{ turns: prepared.turns(options), times: 1 }]
    const { parts } = previewAssembly(this.assembly, prepared.values, options)
    return parts.map(({ rendering, requests }) => ({ turns: rendering?.turns ?? [], times: requests }))
  }

  /** What writes a record's line: the envelope's form, or the standard one. */
  writer(headings: readonly string[], options: LineWriter['options']): LineWriter {
    const name = this.model.envelope?.name
    if (this.assembly) return new AssemblyWriter(this.assembly, options)
    if (name === undefined) return new StandardWriter(this.prompt, options)
    const envelopes = this.library?.artefacts.envelopes
    const model = envelopes?.get(name)
    if (!this.library || !model)
      throw new ProblemError([problem('use-unknown', { name, what: 'envelope', known: [...(envelopes?.keys() ?? [])] })])
    return new EnvelopeWriter(model, this.library, this.prompt, headings, options)
  }
}

/**
 * A batch of a library, ready to be run.
 *
 * @throws ProblemError if its prompt has errors, or a join has no equality.
 */
export function batchOf(library: Library, model: BatchModel, options: BatchOptions = {}): Batch {
  const own = library.problems.filter((p) => p.severity === 'error' && p.place?.file === model.file.name)
  if (own.length > 0) throw new ProblemError(own)
  // Options may have changed it since the library was opened.
  const now = library.checkBatch(model).filter((p) => p.severity === 'error')
  if (now.length > 0) throw new ProblemError(now.map(withoutFrame))
  const locale = options.locale ?? library.artefacts.library.locale
  const name = model.prompt?.name ?? ''
  const assembly = library.artefacts.assemblies.has(name) ? library.assembly(name) : undefined
  return new Batch(library.inputOf(name), model, library, { ...model.set, ...options.values }, locale, assembly)
}

/** A problem in data stands in no text: it names where the data come from, and no line. */
function withoutFrame(p: Problem): Problem {
  return p.span?.source.text === '' ? { ...p, message: `${p.span.source.name}: ${p.message}`, span: undefined, place: undefined } : p
}

/** What names the records of a table without a batch file: a text such as `{item.number}`, and the library that reads it. */
export interface PlainNames {
  readonly name: string
  readonly library: Library
}

/**
 * The batch of a table that is given to a prompt unchanged.
 *
 * @throws ProblemError if the name is no text of the language.
 */
export function plainBatch(prompt: Prompt, { values = {}, locale = prompt.locale, as }: BatchOptions = {}, names?: PlainNames): Batch {
  const records = { from: 'records', ...(as !== undefined && { as }) }
  const model = batchModel({ prompt: prompt.name, records, ...(names && { name: names.name }) }, names && '--name')
  return new Batch(prompt, model, names?.library, values, locale)
}

/**
 * Reads a batch from plain data with the keys of a batch file.
 *
 * @param data - The batch. Paths are relative to the folder `batches`, as in a batch file.
 * @param from - What problems in its texts name as their place: an option, a file. Default: `the batch`.
 * @returns The checked batch, for `runBatch` and `askBatch`.
 * @throws ProblemError if a key is unknown or a value is invalid.
 * @example
 * batchModel({ prompt: 'label/write', records: { from: '../data/objects.csv', as: 'item' } }).prompt.name // => 'label/write'
 */
export function batchModel(data: Readonly<Record<string, unknown>>, from = 'the batch'): BatchModel {
  const problems: Problem[] = []
  const root = nodesOf(data, from)
  const file = new Source(OPTIONS_FILE, '')
  // Data stands in no file: only its texts have places.
  const report: Report = (p) => problems.push(p.span?.source === root.file ? { ...p, span: undefined, place: undefined } : p)
  const model = readBatch({ name: 'options', file, root, report, limits: DEFAULT_LIMITS })
  if (problems.some((p) => p.severity === 'error')) throw new ProblemError(problems)
  return model
}
/** Paths in data are those of a file in this place. */
const OPTIONS_FILE = 'batches/options.yaml'

function readyJoins({ records, join }: BatchModel): ReadyJoin[] {
  const problems: Problem[] = []
  const names = new Set(records?.as === undefined ? [] : [records.as])
  const joins = join.map((model) => {
    const equalities = equalitiesOf(model.where.condition, model.as)
    if (!equalities) problems.push(problem('join-unequal', { as: model.as }, model.where.span))
    if (names.has(model.as)) problems.push(problem('join-name-duplicate', { name: model.as }, model.span))
    names.add(model.as)
    return { model, equalities: equalities ?? [] }
  })
  if (problems.length > 0) throw new ProblemError(problems)
  return joins
}

/** The fields of a record, of the records of a list or of a table; `of`: the one column whose values the variable takes. */
function fieldsOf(declared: Declared | undefined, of?: string): readonly Declared[] {
  if (!declared) return []
  const type =
    declared.type.kind === 'record' || (of !== undefined && declared.type.kind !== 'list') ? declared.type : itemType(declared.type)
  if (of !== undefined) return type ? [{ name: nameOf(of), type, optional: true, untrusted: declared.untrusted, span: undefined }] : []
  return (type && 'fields' in type && type.fields) || []
}
