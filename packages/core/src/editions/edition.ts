import { utf8ToBytes } from '@noble/hashes/utils.js'
import { digestOf, isDigest } from './signed.js'
import { faultIn, isRecord, NAME, parsedJson, POSITIVE, RECORD, TEXT, TEXTS, TIME, type Check } from './shape.js'

/** A file of an edition: its text stands in the edition, or its bytes lie beside all editions, once, under their digest. */
export interface EditionFile {
  readonly digest: string
  readonly text?: string
  /** The size in bytes of a file that lies beside. */
  readonly size?: number
  /** For a file that turns attach: its media type, and the text that was found in it (`true`: it is a text). */
  readonly attached?: { readonly media: string; readonly text?: string | true }
}

/**
 * An immutable snapshot of a prompt, or of an assembly, with everything it uses. It opens as a library, on any machine.
 */
export interface Edition {
  readonly edition: number
  /** The id of the library. */
  readonly library: string
  readonly prompt?: string
  readonly assembly?: string
  readonly fingerprint: string
  /** The reading of the text language that the fingerprint belongs to. */
  readonly reading: string
  readonly created: string
  readonly author?: string
  readonly note?: string
  /** The commit that it was made from. */
  readonly commit?: string
  /** Files that were not in the commit as they are here. */
  readonly uncommitted?: readonly string[]
  /** The earlier edition that had this wording already. */
  readonly 'same-as'?: number
  /** JSON Schemas of the values and of the answer. */
  readonly variables: Readonly<Record<string, unknown>>
  readonly answer?: Readonly<Record<string, unknown>>
  /** By path below the library's folder. */
  readonly files: Readonly<Record<string, EditionFile>>
}

const DIGEST: Check = ['a SHA-256 digest', isDigest]
const REQUIRED = {
  edition: POSITIVE,
  library: TEXT,
  fingerprint: DIGEST,
  reading: TEXT,
  created: TIME,
  variables: RECORD,
  files: ['files by path', (value: unknown) => isRecord(value) && Object.keys(value).length > 0],
} satisfies Record<string, Check>
const OPTIONAL = {
  prompt: NAME,
  assembly: NAME,
  author: TEXT,
  note: TEXT,
  commit: ['a commit', (value: unknown) => typeof value === 'string' && /^[\da-f]{40,64}$/.test(value)],
  uncommitted: TEXTS,
  'same-as': POSITIVE,
  answer: RECORD,
} satisfies Record<string, Check>
const ATTACHED: Check = [
  'a media type and a text',
  (value) => faultIn(value, { media: TEXT }, { text: ['a text', (text) => text === true || typeof text === 'string'] }) === undefined,
]
const SIZE: Check = ['a size in bytes', (value) => Number.isSafeInteger(value) && (value as number) >= 0]

/** The name of what an edition is of. */
export function editionName({ prompt, assembly }: Pick<Edition, 'prompt' | 'assembly'>): string {
  return prompt ?? assembly ?? ''
}

/** An edition's file as it is written. */
export function editionText(edition: Edition): string {
  return `${JSON.stringify(edition, null, 2)}\n`
}

/** Reads an edition's file, and checks the digests of the texts in it; a text says what is wrong. */
export function readEdition(text: string): Edition | string {
  const parsed = parsedJson(text)
  if (typeof parsed === 'string') return parsed
  const fault = faultIn(parsed.data, REQUIRED, OPTIONAL)
  if (fault !== undefined) return fault
  const edition = parsed.data as Edition
  if ((edition.prompt === undefined) === (edition.assembly === undefined)) return 'it needs either "prompt" or "assembly"'
  for (const [path, file] of Object.entries(edition.files)) {
    const wrong = faultOfFile(path, file)
    if (wrong !== undefined) return `"${path}": ${wrong}`
  }
  return edition
}

function faultOfFile(path: string, file: unknown): string | undefined {
  if (path === '' || /^\/|\\|\0|^[A-Za-z]:/.test(path) || path.split('/').some((step) => step === '' || step === '..' || step === '.'))
    return 'it is not a path within the library'
  const fault = faultIn(file, { digest: DIGEST }, { text: TEXT, size: SIZE, attached: ATTACHED })
  if (fault !== undefined) return fault
  const { digest, text, size } = file as EditionFile
  if ((text === undefined) === (size === undefined)) return 'it needs either "text" or "size"'
  if (text !== undefined && digestOf(utf8ToBytes(text)) !== digest) return 'its text does not fit its digest'
  return undefined
}
