import { readdir, readFile, realpath, stat } from 'node:fs/promises'
import { isUtf8 } from 'node:buffer'
import { join, relative, sep } from 'node:path'
import {
  attachedFiles,
  BESIDE,
  caseTables,
  FOLDERS,
  Library,
  problem,
  ProblemError,
  readShelf,
  type AnyPrompts,
  type CaseRows,
  type FileValue,
  type LibraryOptions,
  type Problem,
  type Shelf,
} from 'dunelight'
import { readCaseRows } from './case-tables.js'
import { readFileValue } from './file-value.js'
import { reason } from './reason.js'
import { tokenCounter } from './tokens.js'

const READ = /\.(?:yaml|json|md|txt)$/
const MISNAMED = /\.yml$/

export interface OpenOptions extends LibraryOptions {
  /** Texts that count in place of what stands on the disk, by path below the library's folder: an earlier version, an unsaved edit. */
  readonly instead?: Readonly<Record<string, string>>
}

/**
 * Opens a library folder. What is wrong with its files stands in `library.problems`.
 *
 * @throws ProblemError where the folder itself cannot be read.
 */
export async function openLibrary<P extends object = AnyPrompts>(folder: string, options: OpenOptions = {}): Promise<Library<P>> {
  const root = await realpath(folder).catch((fault: unknown) => unreadable(folder, fault))
  if (!(await stat(root)).isDirectory()) unreadable(folder, 'it is a file; name the library’s folder')
  const found: Problem[] = []
  const files: Record<string, string> = {}
  for (const path of await listFiles(root, BESIDE)) {
    const name = relative(root, path).split(sep).join('/')
    if (MISNAMED.test(name)) found.push(problem('file-unreadable', { file: name, why: 'library files end in .yaml; rename it' }))
    if (!READ.test(name)) continue
    if (!(await realpath(path)).startsWith(root + sep)) {
      found.push(problem('path-outside', { path: name }))
      continue
    }
    const bytes = await readFile(path)
    if (isUtf8(bytes)) files[name] = bytes.toString('utf8')
    else found.push(problem('not-text', { file: name }))
  }
  Object.assign(files, options.instead)
  const known = Object.keys(files).some((name) => name === 'dunelight.yaml' || FOLDERS.includes(name.split('/')[0] ?? ''))
  if (!known && found.length === 0) unreadable(folder, 'it holds no library files (prompts/*.yaml and the like)')
  const shelf = readShelf(files, (p) => found.push(p))
  const budgets = [...shelf.examples.values()].some((set) => set.pick.budget !== undefined)
  const countTokens = options.countTokens ?? (budgets ? await tokenCounter() : undefined)
  const schemas = [...shelf.outputs.values()].some((output) => output.form === 'fields' && output.schema !== undefined)
  const validator = options.validator ?? (schemas ? (await import('dunelight/json-schema')).validator : undefined)
  return new Library<P>(shelf, found, {
    ...options,
    ...(validator && { validator }),
    attachments: await readAttached(root, shelf),
    tables: await readTables(root, shelf),
    ...(countTokens && { countTokens }),
  })
}

function unreadable(file: string, fault: unknown): never {
  throw new ProblemError([problem('file-unreadable', { file, why: reason(fault) })])
}

/** The library's own files that turns attach; of one that cannot be had, why. */
function readAttached(root: string, shelf: Shelf): Promise<Record<string, FileValue | string>> {
  const limit = shelf.library.limits.attachmentBytes
  return readOwn(root, attachedFiles(shelf), (path) => readFileValue(path, { limit }))
}

/** The tables that example sets take their cases from. */
function readTables(root: string, shelf: Shelf): Promise<Record<string, CaseRows | string>> {
  return readOwn(root, caseTables(shelf), readCaseRows)
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

async function listFiles(folder: string, without: readonly string[] = []): Promise<string[]> {
  const files: string[] = []
  for (const entry of await readdir(folder, { withFileTypes: true })) {
    if (entry.name.startsWith('.') || entry.name === 'node_modules' || without.includes(entry.name)) continue
    const path = join(folder, entry.name)
    if (entry.isDirectory()) files.push(...(await listFiles(path)))
    else files.push(path)
  }
  return files.sort()
}
