import { mkdir, readdir } from 'node:fs/promises'
import { join } from 'node:path'
import { printProblem, problemRecord, type AnswerColumn, type FinishedDocument, type Prompt } from 'dunelight'
import {
  DOCUMENT_ENDINGS,
  doubtText,
  fileName,
  readAnswers,
  reason,
  writeDocument,
  writeNew,
  type AnsweredRecord,
  type DocumentEnding,
} from '@dunelight/node'
import { TableFiles, writingFor } from '../answers/table-files.js'
import { printSummary, Tally } from '../answers/tally.js'
import { Asides, printHeadings } from '../aside.js'
import { openToRender } from '../open.js'
import { closed, resultFile } from '../result-file.js'
import { colorsFor, EXIT, paintFor, WrongUse, type Surroundings } from '../surroundings.js'
import { readSet } from '../values.js'

export interface ReadFlags {
  readonly replies: string
  readonly records: string
  readonly to?: string
  readonly route?: string
  readonly aside?: string
  readonly documents?: string
  readonly as?: string
  readonly set?: string[]
  readonly locale?: string
  readonly strict?: boolean
  readonly answered?: boolean
  readonly overwrite?: boolean
  readonly json?: boolean
}

/** Reads a file of replies, and puts the answers beside the records that they answer. */
export async function read(around: Surroundings, folder: string, name: string, flags: ReadFlags): Promise<number> {
  const library = await openToRender(folder, name)
  const prompt = library.prompt(name)
  const { answerColumns: columns } = prompt
  const labels = labelsOf(flags, columns)
  const endings = documentEndings(flags, prompt)
  const given = await readSet(prompt, flags.set, { locale: flags.locale, limit: library.limits.attachmentBytes })
  const writing = writingFor(
    flags.to,
    columns.map((column) => column.name),
  )
  const inputs = [flags.records, flags.replies]
  const overwrite = flags.overwrite ?? false
  const files = new TableFiles(flags.to, around.stdout, writing, { route: flags.route, overwrite, inputs: [...inputs, flags.aside] })
  const aside = flags.aside === undefined ? undefined : await resultFile(flags.aside, overwrite, [...inputs, flags.to])
  await files.prepare(labels)
  if (endings.length > 0) await ownFolder(flags.documents!, overwrite)
  const { stderr } = around
  const c = colorsFor(stderr, around.env)
  const tally = new Tally(columns)
  const asides = new Asides()
  let headings: readonly string[] = []
  const setAside = (one: AnsweredRecord) => {
    asides.add(one.id, one.problems)
    const { row, id, text, reply, problems } = one
    aside?.write(`${JSON.stringify({ row, record: id, reply: text, kept: reply?.kept, problems: problems.map(problemRecord) })}\n`)
  }
  const answers = readAnswers({
    prompt,
    records: flags.records,
    replies: flags.replies,
    given,
    ...(flags.locale !== undefined && { locale: flags.locale }),
    strict: flags.strict ?? false,
    onHeading: (problems) => printHeadings(around, problems),
  })
  try {
    let next = await answers.next()
    for (; !next.done && !around.signal?.aborted; next = await answers.next()) {
      headings = next.value.headings
      for (const one of next.value.answers) {
        if (flags.answered && one.text === undefined) continue
        const answer = answerOf(one)
        tally.add(one, answer)
        if (!answer) setAside(one)
        else {
          const { repaired = [], doubts = [] } = one.reply ?? {}
          const row = { cells: one.cells, answer, repaired: repaired.map((p) => p.message), doubts: doubts.map(doubtText) }
          await files.write(row, headings)
          for (const ending of endings) await writeFinished(one, ending, flags)
        }
        if (around.signal?.aborted) break
      }
    }
    const written = await files.close(headings)
    if (aside) await closed(aside)
    asides.print(around, aside !== undefined)
    const strays = next.done ? next.value : []
    for (const p of strays) stderr.write(`${printProblem(p, paintFor(c))}\n`)
    const { summary } = tally
    if (flags.json) stderr.write(`${JSON.stringify({ ...summary, strays: strays.map(problemRecord) })}\n`)
    else stderr.write(`${printSummary(summary, c)}${written.length > 0 ? `→ ${written.join(', ')}\n` : ''}`)
    if (around.signal?.aborted) {
      stderr.write(`${c.yellow('interrupted')}: every line that was written is whole\n`)
      return EXIT.interrupted
    }
    return summary.refused > 0 || strays.length > 0 ? EXIT.aside : EXIT.done
  } catch (fault) {
    files.discard()
    aside?.destroy()
    throw fault
  }
}

/** The answer by its columns; undefined where the record is to be set aside. */
function answerOf({ reply, form, problems, text }: AnsweredRecord): Readonly<Record<string, unknown>> | undefined {
  if (problems.length > 0 || reply?.value === undefined) return undefined
  return form ? form.columns(reply.value) : { reply: text }
}

/** The labels that the column of --route can hold: a file each. */
function labelsOf({ route, to }: ReadFlags, columns: readonly AnswerColumn[]): readonly string[] {
  if (route === undefined) return []
  if (to === undefined) throw new WrongUse('--route needs files to write to', 'add --to FILE: graded.csv becomes graded.LABEL.csv')
  const column = columns.find((one) => one.name === route)
  const known = columns.flatMap((one) => (one.labels ? [one.name] : []))
  if (!column?.labels)
    throw new WrongUse(
      `the answer has no labels under "${route}"`,
      known.length > 0 ? `labels stand under: ${known.join(', ')}` : 'only a choice, a label, or yes and no can be routed by',
    )
  return column.labels
}

function documentEndings({ documents, as }: ReadFlags, prompt: Prompt): readonly DocumentEnding[] {
  if (documents === undefined) {
    if (as !== undefined) throw new WrongUse('--as speaks of documents', 'add --documents FOLDER')
    return []
  }
  if (!prompt.answerColumns.some((column) => column.name === 'document'))
    throw new WrongUse(`the answers of "${prompt.name}" are no documents`, 'leave --documents out')
  const named = (as ?? 'md').split(',').map((ending) => ending.trim())
  return named.map((ending) => {
    const found = DOCUMENT_ENDINGS.find((one) => one === ending)
    if (!found) throw new WrongUse(`documents are written as ${DOCUMENT_ENDINGS.join(', ')}, not as "${ending}"`)
    return found
  })
}

/** The folder for documents: a new one, or an empty one, unless it may be written over. */
async function ownFolder(folder: string, overwrite: boolean): Promise<void> {
  await mkdir(folder, { recursive: true }).catch((fault: unknown) => {
    throw new WrongUse(`cannot write to ${folder}: ${reason(fault)}`)
  })
  if (!overwrite && (await readdir(folder)).length > 0)
    throw new WrongUse(`${folder} holds files already`, 'choose another folder, or add --overwrite')
}

/** One finished document as a file that is called like its record. */
async function writeFinished({ id, reply }: AnsweredRecord, ending: DocumentEnding, { documents, locale }: ReadFlags): Promise<void> {
  const { text } = reply!.value as FinishedDocument
  const title = /^#+ +(.+)$/m.exec(text)?.[1] ?? id
  const path = join(documents!, fileName(`${id.replace(/[^\p{L}\p{N}_.-]+/gu, '-').replace(/^\.+/, '')}.${ending}`))
  const content = await writeDocument(text, ending, title, locale)
  await writeNew(path, content)
}
