import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js'
import type { CaseRows } from './case-rows.js'
import { artefactOf, memberKey, type LibraryGraph, type Member } from './graph.js'
import type { LibraryModel } from '../artefacts/artefacts.js'
import type { LibraryFiles } from '../artefacts/read.js'
import { lineEnds } from '../values/data.js'
import type { FileValue } from '../values/files.js'

/** Changed where the same files come to mean other texts: fingerprints of two readings are never equal by chance. */
export const READING = 'dunelight 1'

/**
 * SHA-256 over a member with everything it uses. Its name, the order of keys, comments and line ends make no difference.
 */
export function fingerprintOf(
  member: Member,
  artefacts: LibraryFiles,
  graph: LibraryGraph,
  files: UsedFiles,
  /** What else decides how it is rendered. */
  beside: unknown,
): string {
  return hashOf(partsOf(member, artefacts, graph, files, beside))
}

/** What a member uses beside the library's own texts. */
interface UsedFiles {
  readonly attachments: Readonly<Record<string, FileValue | string>>
  readonly tables: Readonly<Record<string, CaseRows | string>>
}

/** What of dunelight.yaml decides how everything is rendered. */
export function sharedOf({ locale, settings, nonce, personal, limits }: LibraryModel): object {
  return { locale, settings, nonce, personal, limits }
}

/**
 * A prompt or an assembly with everything it uses, as texts, without compiling it. `content`: where it differs, the fingerprint does. `written`:
 * where it does not differ, the fingerprint does not; it changes with the order of keys, too.
 */
export function contentTexts(
  member: Member,
  artefacts: LibraryFiles,
  graph: LibraryGraph,
  files: UsedFiles,
): { readonly content: () => string; readonly written: string } {
  const parts = partsOf(member, artefacts, graph, files, sharedOf(artefacts.library))
  return { content: () => canonical(parts), written: JSON.stringify(parts) }
}

function partsOf(member: Member, artefacts: LibraryFiles, graph: LibraryGraph, files: UsedFiles, beside: unknown): unknown {
  const content = (member: Member): unknown => {
    if (member.kind === 'file') return fileContent(files.attachments[member.name])
    const from = member.kind === 'example set' ? artefacts.examples.get(member.name)?.from?.path : undefined
    const own = artefactOf(artefacts, member)?.content
    return from === undefined ? own : [own, files.tables[from]]
  }
  const drawn = graph.drawsOn(member).map((member) => [memberKey(member), content(member)] as const)
  return [READING, member.kind, content(member), Object.fromEntries(drawn), beside]
}

/** SHA-256 of plain data, in hexadecimal digits. */
export function hashOf(data: unknown): string {
  return bytesToHex(sha256(utf8ToBytes(canonical(data))))
}

/** SHA-256 of bytes that are one character each, in hexadecimal digits. */
export function hashBytes(bytes: string): string {
  const units = new Uint8Array(bytes.length)
  for (let i = 0; i < bytes.length; i++) units[i] = bytes.charCodeAt(i)
  return bytesToHex(sha256(units))
}

function fileContent(file: FileValue | string | undefined): unknown {
  if (file === undefined || typeof file === 'string') return null
  return { mediaType: file.mediaType, text: file.text, bytes: file.bytes && bytesToHex(sha256(file.bytes)) }
}

/** JSON with sorted keys and `\n` as the line end: one text for one meaning. */
export function canonical(data: unknown): string {
  if (typeof data === 'string') return JSON.stringify(lineEnds(data))
  if (Array.isArray(data)) return `[${data.map(canonical).join(',')}]`
  if (data instanceof Date) return JSON.stringify(data)
  if (typeof data === 'bigint') return data.toString()
  if (typeof data !== 'object' || data === null) return JSON.stringify(data ?? null)
  const keys = Object.keys(data).sort()
  const entries = keys.flatMap((key) => {
    const value = (data as Record<string, unknown>)[key]
    return value === undefined ? [] : [`${JSON.stringify(key)}:${canonical(value)}`]
  })
  return `{${entries.join(',')}}`
}
