import { lstat, readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { ProblemError, type Problem } from 'dunelight'
import { problem } from 'dunelight/host'
import {
  digestOf,
  editionName,
  readChannels,
  readEdition,
  readStatement,
  type Edition,
  type SignedChannels,
  type SignedStatement,
} from 'dunelight/editions'
import { reason } from '../output/reason.js'

/** The folder of a library's editions, and the file of its channels in it. */
export const EDITIONS = 'editions'
export const CHANNELS_FILE = `${EDITIONS}/channels.json`
/** Files that are too large to stand in an edition, by their digests. */
const OBJECTS = `${EDITIONS}/objects`

/** The beginning of a digest that file names have: 12 of its digits. */
export function shortDigest(digest: string): string {
  return digest.replace('sha256:', '').slice(0, 12)
}

/** An edition as it is stored. */
export interface StoredEdition {
  readonly name: string
  readonly number: number
  /** The digest of the file's bytes. */
  readonly digest: string
  /** The path below the library's folder. */
  readonly path: string
  readonly edition: Edition
}

/** A statement about an edition, as it is stored. */
export interface StoredStatement {
  readonly path: string
  readonly signed: SignedStatement
}

/** Everything about the editions of one prompt. */
export interface EditionsOf {
  /** By number. */
  readonly editions: readonly StoredEdition[]
  readonly statements: readonly StoredStatement[]
  /** Files that are not what was published, and statements that cannot be read. */
  readonly problems: readonly Problem[]
}

const EDITION_FILE = /^([1-9]\d{0,8})-([\da-f]{12})\.json$/
const STATEMENT_FILE = /^[1-9]\d{0,8}-[\da-f]{12}\.(?:publish|approve|revoke)-[\da-f]{12}\.json$/
/** No edition is larger: files of more than 64 kB lie beside it. */
const MOST_BYTES = 64 * 1024 * 1024

/** The path of an edition's file: its number, and the beginning of its digest, so that two branches never write the same file. */
export function editionPath(name: string, number: number, digest: string): string {
  return `${EDITIONS}/${name}/${number}-${shortDigest(digest)}.json`
}

/** The path of a statement about an edition. */
export function statementPath(edition: Pick<StoredEdition, 'path'>, { statement }: SignedStatement): string {
  return `${edition.path.replace(/\.json$/, '')}.${statement.action}-${shortDigest(statement.key)}.json`
}

/** The statements about one edition: their files stand beside its own. */
export function statementsAbout({ statements }: EditionsOf, { path }: Pick<StoredEdition, 'path'>): SignedStatement[] {
  return statements.filter((stored) => stored.path.startsWith(path.replace(/json$/, ''))).map(({ signed }) => signed)
}

export function objectPath(digest: string): string {
  return `${OBJECTS}/${digest.replace('sha256:', '')}`
}

/** The names that have editions, sorted. */
export async function namesWithEditions(root: string): Promise<string[]> {
  const names: string[] = []
  const visit = async (folder: string, name: string): Promise<void> => {
    const entries = await readdir(folder, { withFileTypes: true }).catch(() => [])
    if (name !== '' && entries.some((entry) => entry.isFile() && EDITION_FILE.test(entry.name))) names.push(name)
    for (const entry of entries)
      if (entry.isDirectory() && !(name === '' && entry.name === 'objects'))
        await visit(join(folder, entry.name), name === '' ? entry.name : `${name}/${entry.name}`)
  }
  await visit(join(root, EDITIONS), '')
  return names.sort()
}

/** Reads the editions of a prompt or an assembly, and the statements about them. None of it is trusted yet. */
export async function editionsOf(root: string, name: string): Promise<EditionsOf> {
  const editions: StoredEdition[] = []
  const statements: StoredStatement[] = []
  const problems: Problem[] = []
  // A name that leads elsewhere has no editions.
  if (name.split('/').some((step) => ['', '.', '..'].includes(step))) return { editions, statements, problems }
  const folder = `${EDITIONS}/${name}`
  const entries = await readdir(join(root, folder), { withFileTypes: true }).catch(() => [])
  for (const entry of entries.sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const path = `${folder}/${entry.name}`
    const [, number, start] = EDITION_FILE.exec(entry.name) ?? []
    if (!entry.isFile() || (number === undefined && !STATEMENT_FILE.test(entry.name))) continue
    const bytes = await readOwn(root, path)
    if (number === undefined) {
      const signed = typeof bytes === 'string' ? bytes : readStatement(bytes.toString('utf8'))
      if (typeof signed === 'string') problems.push(problem('statement-invalid', { file: path, why: signed }))
      else statements.push({ path, signed })
      continue
    }
    const read = typeof bytes === 'string' ? bytes : readStored(bytes, name, Number(number), start ?? '')
    if (typeof read === 'string') problems.push(problem('edition-altered', { file: path, why: read }))
    else editions.push({ name, number: Number(number), path, ...read })
  }
  editions.sort((a, b) => a.number - b.number)
  for (const [i, { number, path }] of editions.entries()) {
    const next = editions[i + 1]
    if (next?.number === number) problems.push(problem('edition-twice', { name, number, files: [path, next.path] }))
  }
  return { editions, statements, problems }
}

function readStored(bytes: Buffer, name: string, number: number, start: string): Pick<StoredEdition, 'digest' | 'edition'> | string {
  const digest = digestOf(bytes)
  if (shortDigest(digest) !== start) return 'its content does not fit its name'
  const edition = readEdition(bytes.toString('utf8'))
  if (typeof edition === 'string') return edition
  if (edition.edition !== number) return `it is edition ${edition.edition}`
  return editionName(edition) === name ? { digest, edition } : `it is an edition of "${editionName(edition)}"`
}

/** A file that lies beside the editions. */
export async function objectOf(root: string, digest: string): Promise<Uint8Array | undefined> {
  const bytes = await readOwn(root, objectPath(digest))
  return typeof bytes === 'string' ? undefined : bytes
}

/**
 * The statement of the channels; undefined where there is none.
 *
 * @throws ProblemError if it cannot be read.
 */
export async function channelsOf(root: string): Promise<SignedChannels | undefined> {
  const bytes = await readFile(join(root, CHANNELS_FILE)).catch((fault: unknown) => {
    if ((fault as NodeJS.ErrnoException).code === 'ENOENT') return undefined
    throw new ProblemError([problem('channels-invalid', { file: CHANNELS_FILE, why: reason(fault) })])
  })
  if (!bytes) return undefined
  const signed = readChannels(bytes.toString('utf8'))
  if (typeof signed === 'string') throw new ProblemError([problem('channels-invalid', { file: CHANNELS_FILE, why: signed })])
  return signed
}

/** A file below the folder; a text says why it is not read. Links are not followed. */
async function readOwn(root: string, path: string): Promise<Buffer | string> {
  try {
    const stats = await lstat(join(root, path))
    if (!stats.isFile()) return 'it is not a file'
    if (stats.size > MOST_BYTES) return 'it is too large'
    return await readFile(join(root, path))
  } catch (fault) {
    return reason(fault)
  }
}
