import { utf8ToBytes } from '@noble/hashes/utils.js'
import { attachedFiles, caseTables, readLibraryFiles, type LibraryFiles } from '../artefacts/read.js'
import { artefactFile, type Member } from '../library/graph.js'
import { READING } from '../library/fingerprint.js'
import { schemaOf } from '../interop/to-schema.js'
import type { CaseRows } from '../library/case-rows.js'
import { Library, type LibraryOptions } from '../library/library.js'
import { needsValidator, type Validator } from '../library/outputs.js'
import type { Problem } from '../problems/problem.js'
import type { FileValue } from '../values/files.js'
import { decodeUtf8 } from '../values/web.js'
import { defined } from '../invariant.js'
import { editionName, type Edition, type EditionFile } from './edition.js'
import { digestOf } from './signed.js'

/** A larger file lies beside the editions, once for all of them. */
const MOST_WITHIN = 64 * 1024

/** The main file of a library. */
const MAIN = 'dunelight.yaml'

/** The files that a prompt or an assembly uses, its own and dunelight.yaml among them, sorted by path. */
export function filesOf({ artefacts, graph }: Pick<Library, 'artefacts' | 'graph'>, member: Member): string[] {
  const members = [member, ...graph.drawsOn(member)]
  const own = members.flatMap((used) => artefactFile(artefacts, used) ?? [])
  const tables = members.flatMap(({ kind, name }) => (kind === 'example set' ? (artefacts.examples.get(name)?.from?.path ?? []) : []))
  return [...new Set([MAIN, ...own, ...tables])].sort()
}

/** What an edition is made of, beside the library. */
export interface NewEdition extends Pick<Edition, 'edition' | 'created' | 'author' | 'note' | 'commit' | 'uncommitted' | 'same-as'> {
  /** The id of the library. */
  readonly id: string
  /** The bytes of the files, by path. */
  readonly contents: Readonly<Record<string, Uint8Array>>
  readonly attachments: Readonly<Record<string, FileValue | string>>
}

/**
 * Makes an edition of a prompt or an assembly without errors.
 *
 * @returns The edition, and the bytes of the files that lie beside it, by digest.
 */
export function makeEdition(
  library: Library,
  member: Member,
  { id, contents, attachments, edition, created, author, note, commit, uncommitted, 'same-as': sameAs }: NewEdition,
): { readonly edition: Edition; readonly objects: ReadonlyMap<string, Uint8Array> } {
  const objects = new Map<string, Uint8Array>()
  const files = Object.entries(contents).map(([path, bytes]): [string, EditionFile] => {
    const [digest, text] = [digestOf(bytes), textOf(bytes)]
    const file = attachments[path]
    const attached = file === undefined || typeof file === 'string' ? undefined : attachedOf(file, text)
    if (text !== undefined && bytes.length <= MOST_WITHIN) return [path, { digest, text, ...(attached && { attached }) }]
    objects.set(digest, bytes)
    return [path, { digest, size: bytes.length, ...(attached && { attached }) }]
  })
  const answer = member.kind === 'prompt' ? answerSchema(library, member.name) : undefined
  return {
    edition: {
      edition,
      library: id,
      ...(member.kind === 'prompt' ? { prompt: member.name } : { assembly: member.name }),
      fingerprint: `sha256:${defined(library.fingerprint(member))}`,
      reading: READING,
      created,
      ...(author !== undefined && { author }),
      ...(note !== undefined && { note }),
      ...(commit !== undefined && { commit }),
      ...(uncommitted && uncommitted.length > 0 && { uncommitted }),
      ...(sameAs !== undefined && { 'same-as': sameAs }),
      variables: { ...schemaOf(library.inputOf(member.name).variables) },
      ...(answer && { answer }),
      files: Object.fromEntries(files),
    },
    objects,
  }
}

function attachedOf({ mediaType, text }: FileValue, content: string | undefined): NonNullable<EditionFile['attached']> {
  return { media: mediaType, ...(text !== undefined && { text: text === content ? true : text }) }
}

function answerSchema(library: Library, name: string): Readonly<Record<string, unknown>> | undefined {
  const prompt = library.prompt(name)
  const schemas = prompt.outputs.map((output) => ({ ...defined(prompt.outline(output)).schema({}) }))
  return schemas.length > 1 ? { anyOf: schemas } : schemas[0]
}

/** Bytes as text; undefined where they are not the UTF-8 of one. */
function textOf(bytes: Uint8Array): string | undefined {
  const text = decodeUtf8(bytes, true)
  return text?.includes('\0') ? undefined : text
}

/** How an edition is opened. */
export interface EditionOptions extends Omit<LibraryOptions, 'attachments' | 'tables'> {
  /** The bytes of a file that lies beside the edition, by its digest. */
  readonly object: (digest: string) => Promise<Uint8Array | undefined>
  /** Reads the table that an example set takes its cases from; a text says why it cannot be read. */
  readonly readTable: (path: string, bytes: Uint8Array) => Promise<CaseRows | string>
  /** Loads what checks data by a JSON Schema, for an edition with an output that is one. */
  readonly loadValidator?: () => Promise<Validator>
  /** Files of the working library that are none of the edition: batches, and the models that are asked. */
  readonly beside?: Readonly<Record<string, string>>
}

/** What an edition's files are, before the library is made of them. */
export interface EditionContent {
  readonly files: Readonly<Record<string, string>>
  readonly artefacts: LibraryFiles
  readonly problems: readonly Problem[]
  readonly attachments: Readonly<Record<string, FileValue | string>>
  readonly tables: Readonly<Record<string, CaseRows | string>>
  /** The bytes of every file, by path. */
  readonly contents: Readonly<Record<string, Uint8Array>>
}

/** Reads an edition's files; a text says which is not what was published. */
export async function contentOf(edition: Edition, { object, readTable, beside = {} }: EditionOptions): Promise<EditionContent | string> {
  const contents: Record<string, Uint8Array> = {}
  for (const [path, { digest, text }] of Object.entries(edition.files)) {
    const bytes = text === undefined ? await object(digest) : utf8ToBytes(text)
    if (!bytes) return `the file ${path} is missing`
    if (digestOf(bytes) !== digest) return `the file ${path} does not fit its digest`
    contents[path] = bytes
  }
  const texts = Object.entries(contents).flatMap(([path, bytes]): [string, string][] => {
    const text = textOf(bytes)
    return text === undefined ? [] : [[path, text]]
  })
  const files = { ...beside, ...Object.fromEntries(texts) }
  const problems: Problem[] = []
  const artefacts = readLibraryFiles(files, (p) => problems.push(p))
  const attachments = attachedFiles(artefacts).map((path): [string, FileValue | string] => {
    const bytes = contents[path]
    const attached = edition.files[path]?.attached
    if (!bytes || !attached) return [path, 'it is not in the edition']
    const text = attached.text === true ? textOf(bytes) : attached.text
    return [path, { name: path.split('/').at(-1) ?? path, mediaType: attached.media, bytes, ...(text !== undefined && { text }) }]
  })
  const tables: [string, CaseRows | string][] = []
  for (const path of caseTables(artefacts)) {
    const bytes = contents[path]
    tables.push([path, bytes ? await readTable(path, bytes) : 'it is not in the edition'])
  }
  return { files, artefacts, problems, attachments: Object.fromEntries(attachments), tables: Object.fromEntries(tables), contents }
}

/**
 * Opens an edition as a library: the same renderings on every machine.
 *
 * @param edition - The edition, as `readEdition` read it.
 * @param options - What has the files beside it, what reads its tables, and the options of a library.
 * @returns The library; a text says why the edition is not what was published.
 */
export async function libraryOf(edition: Edition, options: EditionOptions): Promise<Library | string> {
  const content = await contentOf(edition, options)
  if (typeof content === 'string') return content
  const { artefacts, problems, attachments, tables } = content
  const validator = options.validator ?? (needsValidator(artefacts) ? await options.loadValidator?.() : undefined)
  const library = new Library(artefacts, problems, { ...options, attachments, tables, ...(validator && { validator }) })
  return faultOfWording(edition, library) ?? library
}

/** Why an opened edition is not what was published; undefined if it is. */
export function faultOfWording(edition: Edition, library: Library): string | undefined {
  if (edition.reading !== READING) return `it was made by another version of dunelight (${edition.reading}); publish it again`
  const member: Member = { kind: edition.prompt === undefined ? 'assembly' : 'prompt', name: editionName(edition) }
  const fingerprint = library.fingerprint(member)
  if (fingerprint === undefined) return `it has no file of "${member.name}"`
  return `sha256:${fingerprint}` === edition.fingerprint ? undefined : 'its files do not fit its fingerprint'
}
