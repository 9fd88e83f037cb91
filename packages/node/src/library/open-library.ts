import { readdir, readFile, realpath, stat } from 'node:fs/promises'
import { isUtf8 } from 'node:buffer'
import { join, relative, sep } from 'node:path'
import { Library, ProblemError, type AnyAssemblies, type AnyPrompts, type FileValue, type LibraryOptions, type Problem } from 'dunelight'
import {
  attachedFiles,
  OTHER_FOLDERS,
  caseTables,
  FOLDERS,
  needsValidator,
  problem,
  readLibraryFiles,
  type CaseRows,
  type LibraryFiles,
  countsTokens,
} from 'dunelight/host'
import { meansEdition } from 'dunelight/editions'
import { readCaseRows } from '../sources/case-tables.js'
import { readFileValue } from '../sources/file-value.js'
import { reason } from '../output/reason.js'
import { readSnapshot, type Wording } from './snapshot.js'
import type { ApproverOptions } from '../snapshots/trust.js'
import { tokenCounter } from './tokens.js'

const READ = /\.(?:yaml|json|md|txt)$/
const MISNAMED = /\.yml$/

/** A library's folder as data: what `libraryFrom` needs, and what reading it found wrong. */
export interface LibraryFolder {
  /** The folder itself, links resolved. */
  readonly root: string
  /** The texts of its files, by path below it. */
  readonly files: Readonly<Record<string, string>>
  readonly problems: readonly Problem[]
  readonly artefacts: LibraryFiles
  readonly attachments: Readonly<Record<string, FileValue | string>>
  readonly tables: Readonly<Record<string, CaseRows | string>>
  /** The bytes of files that are no texts of the library, where they are not on the disk: tables and attached files. */
  readonly contents?: Readonly<Record<string, Uint8Array>>
  /** Which wording it is, if it is not that of the working files. */
  readonly wording?: Wording
}

export interface ReadFolderOptions {
  /** A reference such as `label/write@7`, `label/write@live` or `label/write@git:HEAD~3`: the wording is taken from there. */
  readonly at?: string
  /** Whose approvals an edition needs. */
  readonly approvers?: ApproverOptions
  /** Texts that replace those on the disk, by path below the library's folder: an earlier version, an unsaved edit. */
  readonly instead?: Readonly<Record<string, string>>
  /** Takes a folder in which no library has been begun. */
  readonly mayBeEmpty?: boolean
}

/** How a library's folder is opened. */
export interface OpenOptions extends LibraryOptions, Pick<ReadFolderOptions, 'instead' | 'at' | 'approvers'> {}

/**
 * Opens a library folder. Problems of its files are in `library.problems`.
 *
 * @param folder - The folder that has `dunelight.yaml`.
 * @param options - A token counter, a validator, a listener.
 * @returns The checked library.
 * @throws ProblemError if the folder cannot be read.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * library.promptNames().includes('label/write') // => true
 */
export async function openLibrary<P extends object = AnyPrompts, A extends object = AnyAssemblies>(
  folder: string,
  options: OpenOptions = {},
): Promise<Library<P, A>> {
  const read = await readLibraryFolder(folder, options)
  const { artefacts, problems, attachments, tables } = read
  const budgets = [...artefacts.examples.values(), ...artefacts.prompts.values()].some(countsTokens)
  const screened = artefacts.library.screens.some(({ finds }) => finds === 'tokens')
  const countTokens = options.countTokens ?? (budgets || screened ? await tokenCounter() : undefined)
  const validator = options.validator ?? (needsValidator(artefacts) ? (await import('dunelight/json-schema')).validator : undefined)
  const library = new Library<P, A>(artefacts, problems, {
    ...options,
    ...(validator && { validator }),
    attachments,
    tables,
    ...(countTokens && { countTokens }),
  })
  folders.set(library, read)
  return library
}

/** What each library was opened from. */
const folders = new WeakMap<object, LibraryFolder>()

/** The folder that a library was opened from, as it was read: nothing has to be read again. */
export function folderOf(library: object): LibraryFolder | undefined {
  return folders.get(library)
}

/**
 * Which edition or commit the wording of a library comes from.
 *
 * @param library - A library that `openLibrary` opened.
 * @returns The edition or commit; undefined for the working files.
 * @example
 * wordingOf(await openLibrary('demo/marram-house')) // => undefined
 */
export function wordingOf(library: object): Wording | undefined {
  return folderOf(library)?.wording
}

/**
 * Reads all that belongs to a library in a folder.
 *
 * @throws ProblemError where the folder itself cannot be read.
 */
export async function readLibraryFolder(folder: string, options: ReadFolderOptions = {}): Promise<LibraryFolder> {
  const { instead, mayBeEmpty = false, at, approvers = {} } = options
  refuseUnlessEdition(at, approvers)
  const read = await readLibraryTexts(folder)
  const files = { ...read.files, ...instead }
  const problems = [...read.problems]
  const known = Object.keys(files).some((name) => name === 'dunelight.yaml' || FOLDERS.includes(name.split('/')[0] ?? ''))
  if (!known && problems.length === 0 && !mayBeEmpty) unreadable(folder, 'it has no library files (such as prompts/*.yaml)')
  const { root } = read
  const snapshot = at === undefined ? undefined : await readSnapshot(root, at, read.files, approvers, instead)
  if (snapshot) return { root, ...snapshot }
  const artefacts = readLibraryFiles(files, (p) => problems.push(p))
  return { root, files, problems, artefacts, attachments: await readAttached(root, artefacts), tables: await readTables(root, artefacts) }
}

/** With approvers, only editions may be used: nothing else has an approval. */
function refuseUnlessEdition(at: string | undefined, { file, digest }: ApproverOptions): void {
  if (file === undefined && digest === undefined) return
  if (at === undefined || !meansEdition(at)) throw new ProblemError([problem('edition-required', { reference: at })])
}

/**
 * The texts of a library's folder, by path below it; none is parsed.
 *
 * @throws ProblemError where the folder itself cannot be read.
 */
export async function readLibraryTexts(folder: string): Promise<Pick<LibraryFolder, 'root' | 'files' | 'problems'>> {
  const root = await realpath(folder).catch((fault: unknown) => unreadable(folder, fault))
  if (!(await stat(root)).isDirectory()) unreadable(folder, 'it is a file; name the library’s folder')
  const problems: Problem[] = []
  const files: Record<string, string> = {}
  for (const path of await listLibrary(root)) {
    const name = relative(root, path).split(sep).join('/')
    if (MISNAMED.test(name)) problems.push(problem('file-unreadable', { file: name, why: 'library files end in .yaml; rename it' }))
    if (!READ.test(name)) continue
    if (!(await realpath(path)).startsWith(root + sep)) {
      problems.push(problem('path-leaves-library', { path: name }))
      continue
    }
    const bytes = await readFile(path)
    if (isUtf8(bytes)) files[name] = bytes.toString('utf8')
    else problems.push(problem('not-text', { file: name }))
  }
  return { root, files, problems }
}

function unreadable(file: string, fault: unknown): never {
  throw new ProblemError([problem('file-unreadable', { file, why: reason(fault) })])
}

/** The library's own files that turns attach; of one that cannot be had, why. */
function readAttached(root: string, artefacts: LibraryFiles): Promise<Record<string, FileValue | string>> {
  const limit = artefacts.library.limits.attachmentBytes
  return readOwn(root, attachedFiles(artefacts), (path) => readFileValue(path, { limit }))
}

/** The tables that example sets take their cases from. */
function readTables(root: string, artefacts: LibraryFiles): Promise<Record<string, CaseRows | string>> {
  return readOwn(root, caseTables(artefacts), readCaseRows)
}

/** Files below the library's folder; of one that cannot be had, why. */
async function readOwn<T>(root: string, paths: readonly string[], read: (path: string) => Promise<T>): Promise<Record<string, T | string>> {
  const attempt = async (path: string): Promise<T | string> => {
    try {
      if (!(await realpath(join(root, path))).startsWith(root + sep)) return 'it leads out of the library’s folder'
      return await read(join(root, path))
    } catch (fault) {
      if (!(fault instanceof ProblemError)) return reason(fault)
      const [first] = fault.problems
      return first?.code === 'file-unreadable' ? first.data.why : (first?.message ?? '')
    }
  }
  return Object.fromEntries(await Promise.all(paths.map(async (path) => [path, await attempt(path)] as const)))
}

/** How much of a folder is searched before it is refused as a library: users may point at any folder. */
const MOST_STRANGE = 200

/** All files of a library; of folders that are none of its own, a few. */
async function listLibrary(root: string): Promise<string[]> {
  const files: string[] = []
  for (const entry of await entriesOf(root)) {
    const path = join(root, entry.name)
    if (!entry.isDirectory()) files.push(path)
    else if (!OTHER_FOLDERS.includes(entry.name))
      files.push(...(await listFiles(path, { left: FOLDERS.includes(entry.name) ? Infinity : MOST_STRANGE })))
  }
  return files.sort()
}

async function listFiles(folder: string, room: { left: number }): Promise<string[]> {
  const files: string[] = []
  for (const entry of await entriesOf(folder)) {
    if (room.left-- <= 0) break
    const path = join(folder, entry.name)
    if (entry.isDirectory()) files.push(...(await listFiles(path, room)))
    else files.push(path)
  }
  return files
}

async function entriesOf(folder: string) {
  const entries = await readdir(folder, { withFileTypes: true })
  return entries.filter(({ name }) => !name.startsWith('.') && name !== 'node_modules')
}
