import { readdir } from 'node:fs/promises'
import { basename, dirname, extname, join } from 'node:path'
import { ProblemError, type BatchModel, type Library, type Problem } from 'dunelight'
import { nearest, problem, type Batch } from 'dunelight/host'
import { readyBatch } from './begin.js'
import { OUTPUT_ENDINGS } from './output-endings.js'
import { reason } from '../output/reason.js'
import { openSource, readRecords, tableFile } from '../sources/records.js'

/** Rows of a table that are read to see whether a run would take them. */
const SAMPLE_ROWS = 1000

/**
 * Checks the batches of a library with their tables: whether each opens, what its headings give, and whether its first 1,000 rows can be
 * rendered. Batches that have problems of their own are left out.
 *
 * @param library - The library.
 * @param folder - Its folder.
 * @returns The problems, each at its place in the batch's file.
 * @example
 * await checkBatches(await openLibrary('demo/marram-house'), 'demo/marram-house').then((problems) => problems.every((p) => p.severity === 'info')) // => true
 */
export async function checkBatches(library: Library, folder: string): Promise<readonly Problem[]> {
  const problems: Problem[] = []
  for (const model of library.artefacts.batches.values()) {
    const isOfFile = (p: Problem) => p.severity === 'error' && p.place?.file === model.file.name
    const hasErrors = library.problems.some(isOfFile) || library.checkBatch(model).some((p) => p.severity === 'error')
    if (hasErrors || !library.canRender(model.prompt?.name ?? '')) continue
    for (const p of await checkBatch(library, model, folder)) if (isNew(p, problems)) problems.push(p)
  }
  return problems
}

/** What is wrong with a table is told once, for the first of the batches that read it. */
function isNew(p: Problem, problems: readonly Problem[]): boolean {
  return p.code !== 'rows-rejected' || !problems.some((other) => other.code === p.code && other.message === p.message)
}

async function checkBatch(library: Library, model: BatchModel, folder: string): Promise<Problem[]> {
  const { records, to } = model
  if (!records) return []
  const inPlace = (p: Problem): Problem => (p.span ? p : placed(p, model))
  try {
    const batch = await readyBatch(library, model, folder, {})
    const ending = extname(to?.path ?? '').toLowerCase()
    if (to && !batch.perRecord && !(OUTPUT_ENDINGS as readonly string[]).includes(ending))
      return [problem('output-ending', { path: to.path, known: OUTPUT_ENDINGS }, to.span)]
    if (batch.library?.artefacts.envelopes.has(model.envelope?.name ?? '')) batch.writer([], {})
    return (await rejectedRows(batch, folder)).map(inPlace)
  } catch (fault) {
    if (fault instanceof ProblemError) {
      const errors = fault.problems.filter((p) => p.severity === 'error')
      return (await Promise.all(errors.map((p) => ofTable(p, model, folder)))).map(inPlace)
    }
    return [inPlace(problem('file-unreadable', { file: records.path, why: reason(fault) }))]
  }
}

/** A remark on rows that a run would reject; an error if it would reject all. */
async function rejectedRows(batch: Batch, folder: string): Promise<Problem[]> {
  const { records } = batch.model
  if (!records) return []
  const table = tableFile(folder, records)
  const opened = await openSource(batch, folder, table)
  let first: string | undefined
  let rows = 0
  let rejected = 0
  for await (const chunk of readRecords(batch, table, opened)) {
    for (const record of chunk.records) {
      if (rows >= SAMPLE_ROWS) break
      rows++
      if (record.prepared) continue
      rejected++
      first ??= record.problems[0]?.message
    }
    if (rows >= SAMPLE_ROWS) break
  }
  if (rejected === 0 || first === undefined) return []
  const data = { table: records.path, rejected, rows, why: first }
  return [rejected === rows ? problem('rows-unfit', data, records.span) : problem('rows-rejected', data, records.span)]
}

/** A table that cannot be read, by its path in the library, with the file that may be meant. */
async function ofTable(p: Problem, { records, join: joins, set, file: { name: model } }: BatchModel, folder: string): Promise<Problem> {
  if (p.code !== 'file-unreadable') return p
  const { file, why } = p.data
  const stated = Object.values(set).flatMap((value) => (typeof value === 'string' ? join(dirname(model), value) : []))
  const path = [...[records, ...joins].flatMap((table) => table?.path ?? []), ...stated].find((known) => file.endsWith(known)) ?? file
  const siblings = await readdir(join(folder, dirname(path))).catch(() => [])
  const name = nearest(basename(path), siblings)
  return problem('file-unreadable', { file: path, why, near: name === undefined ? undefined : `${dirname(path)}/${name}` }, p.span)
}

/** The problem at the key of the batch that it is about: the join of the table that it names, else the records. */
function placed(p: Problem, { records, join: joins, columns, set, setSpans, span }: BatchModel): Problem {
  const { name, file, path, variable } = p.data as Readonly<Record<'name' | 'file' | 'path' | 'variable', unknown>>
  const named = joins.find((item) => item.as === variable || (typeof file === 'string' && file.endsWith(item.path)))
  const isOfSet = ([key, value]: [string, unknown]) =>
    key === name ||
    key === path ||
    (typeof file === 'string' && typeof value === 'string' && file.endsWith(value.replace(/^(?:\.\.?\/)+/, '')))
  const ofSet = Object.entries(set).find(isOfSet)?.[0]
  const column = p.code === 'column-unknown' ? [...columns.values()].find(({ heading }) => heading === p.data.heading)?.span : undefined
  const at = column ?? named?.span ?? (ofSet === undefined ? undefined : setSpans.get(ofSet)) ?? records?.span ?? span
  return { ...p, span: at, place: at.source.place(at.start) }
}
