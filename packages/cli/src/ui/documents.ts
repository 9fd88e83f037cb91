import { mkdir, readdir } from 'node:fs/promises'
import { join } from 'node:path'
import type { AnswerColumn } from 'dunelight/parts'
import { DOCUMENT_ENDINGS, fileName, finishedDocument, reason, writeNew, type DocumentEnding } from '@dunelight/node/host'
import type { Flag } from '../define-command.js'
import { WrongUse } from './context.js'

export const DOCUMENT_FLAGS: readonly Flag[] = [
  ['--documents <folder>', 'write a document per record to this folder'],
  ['--as <kinds>', 'md, html or docx; separate several with commas'],
]

export interface DocumentFlags {
  readonly documents?: string
  readonly as?: string
  readonly locale?: string
}

/** The kinds of files that each document is written as; none without --documents. */
export function documentEndings(
  { documents, as }: DocumentFlags,
  prompt: string,
  columns: readonly AnswerColumn[],
): readonly DocumentEnding[] {
  if (documents === undefined) {
    if (as !== undefined) throw new WrongUse('--as needs --documents', 'add --documents FOLDER')
    return []
  }
  if (!columns.some((column) => column.name === 'document'))
    throw new WrongUse(`the answers of "${prompt}" are not documents`, 'leave --documents out')
  const named = (as ?? 'md').split(',').map((ending) => ending.trim())
  return named.map((ending) => {
    const documentEnding = DOCUMENT_ENDINGS.find((text) => text === ending)
    if (!documentEnding) throw new WrongUse(`documents are written as ${DOCUMENT_ENDINGS.join(', ')}, not as "${ending}"`)
    return documentEnding
  })
}

/** The folder for documents: a new one, or an empty one, unless it may be written over. */
export async function ownFolder(folder: string, overwrite: boolean): Promise<void> {
  await mkdir(folder, { recursive: true }).catch((fault: unknown) => {
    throw new WrongUse(`cannot write to ${folder}: ${reason(fault)}`)
  })
  if (!overwrite && (await readdir(folder)).length > 0)
    throw new WrongUse(`${folder} is not empty`, 'choose another folder, or add --overwrite')
}

/** One finished document as a file that is called like its record. A mock answer says so in its first line. */
export async function writeFinished(
  id: string,
  text: string,
  ending: DocumentEnding,
  { folder, locale, isMock = false }: { readonly folder: string; readonly locale?: string | undefined; readonly isMock?: boolean },
): Promise<void> {
  const path = join(folder, fileName(`${id.replace(/[^\p{L}\p{N}_.-]+/gu, '-').replace(/^\.+/, '')}.${ending}`))
  const language = locale === undefined ? {} : { language: locale }
  await writeNew(path, await finishedDocument(text, ending, { id, isMock, ...language }))
}
