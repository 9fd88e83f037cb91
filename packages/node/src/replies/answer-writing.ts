import { extname } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem, type Batch } from 'dunelight/host'
import { cellText } from 'dunelight/parts'
import { textBytes } from '../output/bytes.js'
import { secrets } from '../output/secrets.js'
import { commonFolder } from '../runs/safe-path.js'
import { readEnding, rowWriting, type FinishedRow } from './finished-row.js'
import { DOCUMENT_ENDINGS, writeDocument, type DocumentEnding } from './write-document.js'

/** How the answers of a run are written: all to one file, or each to a file of its own. */
export interface AnswerWriting {
  /** The file in the run's folder, or the folder with a file for each record. */
  readonly output: string
  /** The part of the records' paths that all have in common, if each has a file of its own. */
  readonly base: string | undefined
  readonly head: (headings: readonly string[]) => string
  /** What is written of a row: one character for each byte. */
  readonly write: (row: FinishedRow, headings: readonly string[]) => string | Promise<string>
}

/**
 * How a batch's answers are written to this place.
 *
 * @throws ProblemError if answers are not written with its ending.
 */
export function answerWriting(batch: Batch, to: string | undefined): AnswerWriting {
  if (to === undefined || !batch.perRecord || !batch.model.to) return inOneFile(batch, to)
  const ending = extname(to).toLowerCase()
  const base = commonFolder(batch.model.to.path)
  const plain = { output: 'output', base, head: () => '' }
  if (ending === '.json') return { ...plain, write: ({ answer }) => textBytes(`${JSON.stringify(answer, null, 2)}\n`) }
  const kind = DOCUMENT_ENDINGS.find((known) => `.${known}` === ending)
  if (!kind)
    throw new ProblemError([problem('output-ending', { path: to, known: [...DOCUMENT_ENDINGS.map((known) => `.${known}`), '.json'] })])
  if (batch.answerColumns.every(({ name }) => name !== 'document'))
    throw new ProblemError([problem('document-only', { prompt: batch.prompt.name })])
  const language = batch.locale?.split('-')[0]
  return {
    ...plain,
    write: async ({ answer, isMock = false, about }) => {
      const content = await finishedDocument(cellText(answer['document']), kind, {
        id: cellText(about?.['record']),
        isMock,
        ...(language !== undefined && { language }),
      })
      return typeof content === 'string' ? textBytes(content) : Buffer.from(content).toString('latin1')
    },
  }
}

function inOneFile({ answerColumns, model }: Batch, to: string | undefined): AnswerWriting {
  const ending = readEnding(to)
  const writing = rowWriting(ending, answerColumns, { raw: model.rawCells, flatten: model.flatten })
  return {
    output: `output${ending}`,
    base: undefined,
    head: (headings) => writing.head(headings),
    write: (row, headings) => textBytes(writing.line(row, headings)),
  }
}

/** The content of a finished document's file. One that a mock model answered says so in its first line. */
export function finishedDocument(
  text: string,
  ending: DocumentEnding,
  { id, isMock, language }: { readonly id: string; readonly isMock: boolean; readonly language?: string },
): Promise<string | Uint8Array> {
  const title = /^#+ +(.+)$/m.exec(secrets.redact(text))?.[1] ?? id
  // Within a file that is compressed nothing could be found any more.
  const safe = secrets.redact(text)
  const marked = isMock ? `> Mock: no model wrote this document.\n\n${safe}` : safe
  return writeDocument(marked, ending, title, language)
}
