import { readdir, readFile, realpath, stat } from 'node:fs/promises'
import { isUtf8 } from 'node:buffer'
import { join, relative, sep } from 'node:path'
import { FOLDERS, libraryFrom, problem, ProblemError, type Library, type LibraryOptions, type Problem } from 'dunelight'

const READ = /\.(?:yaml|json|md|txt)$/
const MISNAMED = /\.yml$/

/**
 * Opens a library folder. What is wrong with its files stands in `library.problems`.
 *
 * @throws ProblemError where the folder itself cannot be read.
 */
export async function openLibrary(folder: string, options: LibraryOptions = {}): Promise<Library> {
  const root = await realpath(folder).catch((fault: unknown) => unreadable(folder, fault))
  if (!(await stat(root)).isDirectory()) unreadable(folder, 'it is a file; name the library’s folder')
  const found: Problem[] = []
  const files: Record<string, string> = {}
  for (const path of await listFiles(root)) {
    const name = relative(root, path).split(sep).join('/')
    if (name.startsWith('data/')) continue
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
  const known = Object.keys(files).some((name) => name === 'dunelight.yaml' || FOLDERS.includes(name.split('/')[0] ?? ''))
  if (!known && found.length === 0) unreadable(folder, 'it holds no library files (prompts/*.yaml and the like)')
  return libraryFrom(files, { ...options, found: [...(options.found ?? []), ...found] })
}

function unreadable(file: string, fault: unknown): never {
  throw new ProblemError([problem('file-unreadable', { file, why: reason(fault) })])
}

/** Why a file could not be opened, in words. */
export function reason(fault: unknown): string {
  if (typeof fault === 'string') return fault
  const code = typeof fault === 'object' && fault !== null && 'code' in fault ? fault.code : undefined
  if (code === 'ENOENT') return 'there is no such file or folder'
  if (code === 'EACCES' || code === 'EPERM') return 'no permission'
  if (code === 'EISDIR') return 'it is a folder'
  if (code === 'ENOSPC') return 'the disk is full'
  return typeof code === 'string' ? code : String(fault)
}

async function listFiles(folder: string): Promise<string[]> {
  const files: string[] = []
  for (const entry of await readdir(folder, { withFileTypes: true })) {
    if (entry.name.startsWith('.') || entry.name === 'node_modules') continue
    const path = join(folder, entry.name)
    if (entry.isDirectory()) files.push(...(await listFiles(path)))
    else files.push(path)
  }
  return files.sort()
}
