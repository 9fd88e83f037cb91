import { meansEdition } from 'dunelight/editions'
import { createTwoFilesPatch, diffWordsWithSpace } from 'diff'
import { batchModel, ProblemError, type BatchModel, type Library, type PreparedValues } from 'dunelight'
import { defined, likeness, plainBatch, type Batch } from 'dunelight/host'
import type { Turn } from 'dunelight'
import { recordPairs, rendered } from '../compare/compare-table.js'
import { folderOf, wordingOf, type OpenOptions } from '../library/open-library.js'
import { openLibraryFor } from '../library/open-for.js'
import { readyBatch } from '../runs/begin.js'
import type { TableFile } from '../sources/open-table.js'
import { readPools, tableFile } from '../sources/records.js'
import { contentsOf, memberNamed } from './wording-files.js'

/** One file that two wordings do not have in common. */
export interface FileDifference {
  readonly path: string
  readonly does: 'added' | 'removed' | 'changed'
  /** The lines that differ, with three around them; undefined for a file that is no text. */
  readonly patch: string | undefined
}

/** A record whose text differs. */
export interface RecordDifference {
  readonly record: string
  /** From 0, the same words, to 1, none in common. */
  readonly distance: number
  /** Other records that differ nearly as much, and in the same words. */
  readonly alike: readonly string[]
  /** Undefined where it cannot be rendered. */
  readonly before: readonly Turn[] | undefined
  readonly after: readonly Turn[] | undefined
}

/** How many records two wordings render differently. */
export interface RenderedDifference {
  /** The table: its path, as it was named. */
  readonly from: string
  readonly records: number
  readonly changed: number
  /** Records that can no longer be rendered, and records that now can. */
  readonly lost: number
  readonly gained: number
  /** Those that differ most. */
  readonly most: readonly RecordDifference[]
}

/** What differs between two wordings of a prompt. */
export interface WordingDifference {
  readonly name: string
  readonly from: string
  readonly to: string
  readonly isSame: boolean
  readonly files: readonly FileDifference[]
  /** Undefined where there are no records to render; a text says why they cannot be. */
  readonly rendered: RenderedDifference | string | undefined
}

/** Which records are rendered to compare two wordings, and whose approvals editions need. */
export interface DiffOptions extends Pick<OpenOptions, 'approvers'> {
  /** A table in place of that of the prompt's first batch. */
  readonly records?: TableFile
  /** Values that are the same for all records. */
  readonly values?: Readonly<Record<string, unknown>>
  /** How many of the records that differ most are given. Default: 5. */
  readonly most?: number
}

/**
 * What differs between two wordings of a prompt: the files that it uses, and the texts that records get.
 *
 * @param folder - The library's folder.
 * @param from - A reference: `label/write@live`, `label/write@7`, `label/write@git:HEAD`.
 * @param to - Another one; a name alone means the working files.
 * @param options - The records.
 * @returns The files with the lines that differ, and the records that differ most.
 * @throws ProblemError if a wording cannot be opened.
 * @example
 * const { isSame } = await wordingDiff('demo/marram-house', 'label/write', 'label/write')
 * isSame // => true
 */
export async function wordingDiff(folder: string, from: string, to: string, options: DiffOptions = {}): Promise<WordingDifference> {
  const [before, after] = [await side(folder, from, options), await side(folder, to, options)]
  const { name } = after
  const files = fileDifferences(before.contents, after.contents)
  const isSame = before.fingerprint === after.fingerprint
  return { name, from: before.at, to: after.at, isSame, files, rendered: await renderedDifference(folder, before, after, options) }
}

interface Side {
  readonly name: string
  /** The reference, with the number or commit that it stood for. */
  readonly at: string
  readonly library: Library
  readonly contents: Readonly<Record<string, Uint8Array>>
  readonly fingerprint: string | undefined
}

async function side(folder: string, reference: string, { approvers }: DiffOptions): Promise<Side> {
  const trust = approvers && meansEdition(reference) ? { approvers } : {}
  const library = await openLibraryFor(folder, reference, trust)
  const wording = wordingOf(library)
  const name = wording?.name ?? reference
  // A prompt with errors has no text to compare.
  library.inputOf(name)
  return {
    name,
    at: wording?.pinned ?? name,
    library,
    contents: await contentsOf(defined(folderOf(library)), library, name),
    fingerprint: library.fingerprint(memberNamed(library, name)),
  }
}

function fileDifferences(before: Side['contents'], after: Side['contents']): FileDifference[] {
  const paths = [...new Set([...Object.keys(before), ...Object.keys(after)])].sort()
  return paths.flatMap((path): FileDifference[] => {
    const [old, now] = [before[path], after[path]]
    if (old && now && Buffer.compare(old, now) === 0) return []
    const texts = [old, now].map((bytes) => (bytes === undefined ? '' : textOf(bytes)))
    const [first, second] = texts
    const patch = first === undefined || second === undefined ? undefined : patchOf(path, first, second)
    return [{ path, does: !old ? 'added' : !now ? 'removed' : 'changed', patch }]
  })
}

/** The lines that differ, without the headings of a patch. */
function patchOf(path: string, before: string, after: string): string {
  const patch = createTwoFilesPatch(path, path, before, after, undefined, undefined, { context: 3 })
  return patch.split('\n').slice(4).join('\n')
}

function textOf(bytes: Uint8Array): string | undefined {
  const text = Buffer.from(bytes).toString('utf8')
  return text.includes('\0') || text.includes('\uFFFD') ? undefined : text
}

async function renderedDifference(
  folder: string,
  before: Side,
  after: Side,
  { records, values = {}, most = 5 }: DiffOptions,
): Promise<RenderedDifference | string | undefined> {
  if (after.library.artefacts.assemblies.has(after.name)) return undefined
  try {
    const model = records ? undefined : batchOf(after.library, after.name)
    const table = records ?? (model?.records && tableFile(folder, model.records))
    if (!table) return undefined
    const [old, now] = [await batchFor(folder, before, model, values), await batchFor(folder, after, model, values)]
    return await compare(folder, old, now, table, most)
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems[0]?.message ?? ''
    throw fault
  }
}

/** The first batch of a prompt, with all of its records. */
function batchOf(library: Library, name: string): BatchModel | undefined {
  const model = [...library.artefacts.batches.values()].find((batch) => batch.prompt?.name === name && batch.records)
  if (!model) return undefined
  const { take: _, sample: __, ...content } = model.content as Record<string, unknown>
  return { ...model, ...batchModel(content), file: model.file, name: model.name }
}

function batchFor(
  folder: string,
  { library, name }: Side,
  model: BatchModel | undefined,
  values: Readonly<Record<string, unknown>>,
): Promise<Batch> {
  if (model) return readyBatch(library, model, folder, { values })
  return Promise.resolve(plainBatch(library.prompt(name), { values }))
}

async function compare(folder: string, before: Batch, after: Batch, table: TableFile, most: number): Promise<RenderedDifference> {
  const pools = await readPools(after, folder)
  const counts = { records: 0, changed: 0, lost: 0, gained: 0 }
  const differing: RecordDifference[] = []
  const kept = most === 0 ? 0 : Math.max(most, LOOKED_AT)
  for await (const pairs of recordPairs(before, after, table, { pools, folder })) {
    for (const [old, record] of pairs) {
      const [first, second] = [old && rendered(old, turnsOf), rendered(record, turnsOf)]
      counts.records++
      const [text, other] = [first && textOfTurns(first), second && textOfTurns(second)]
      if (text === other) continue
      if (other === undefined) counts.lost++
      else if (text === undefined) counts.gained++
      else counts.changed++
      const distance = text === undefined || other === undefined ? 1 : 1 - likeness(text, other)
      const place = differing.findIndex((known) => known.distance < distance)
      if (place < 0 && differing.length >= kept) continue
      differing.splice(place < 0 ? differing.length : place, 0, { record: record.id, distance, alike: [], before: first, after: second })
      if (differing.length > kept) differing.pop()
    }
  }
  return { from: table.from, ...counts, most: distinct(differing).slice(0, most) }
}

/** How many of the records that differ most are compared with each other: often all of them differ in the same words. */
const LOOKED_AT = 50

/** One record for each way in which they differ. */
function distinct(records: readonly RecordDifference[]): RecordDifference[] {
  const ways = new Map<string, RecordDifference>()
  for (const record of records) {
    const [before, after] = [record.before, record.after].map((turns) => turns && textOfTurns(turns))
    const changes = diffWordsWithSpace(before ?? '', after ?? '').filter(({ added, removed }) => added || removed)
    const way = before === undefined || after === undefined ? '' : JSON.stringify(changes.map(({ value, added }) => [added, value]))
    const known = ways.get(way)
    ways.set(way, known ? { ...known, alike: [...known.alike, record.record] } : record)
  }
  return [...ways.values()]
}

function turnsOf(prepared: PreparedValues, record: string): readonly Turn[] {
  return prepared.render({ record }).turns
}

function textOfTurns(turns: readonly Turn[]): string {
  return turns.map(({ role, text }) => `${role}\n${text}`).join('\n\n')
}
