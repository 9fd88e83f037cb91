import { extname } from 'node:path'
import type { Writable } from 'node:stream'
import { printProblem, problemRecord, type FinishedDocument, type Library, type Prompt } from 'dunelight'
import type { AnswerColumn } from 'dunelight/parts'
import { defined } from 'dunelight/host'
import { readReplies } from '@dunelight/node'
import { labelRouter, readEnding, type DocumentEnding, type ReadRepliesResult } from '@dunelight/node/host'
import { defineCommand, LIBRARY, PROMPT, FLATTEN, RAW_CELLS, SET_FOR_ALL } from '../define-command.js'
import { openNamed } from '../flags/open-library.js'
import { readSet } from '../flags/values.js'
import { colorsFor, EXIT, paintFor, WrongUse, type CommandContext } from '../ui/context.js'
import { DOCUMENT_FLAGS, documentEndings, ownFolder, writeFinished } from '../ui/documents.js'
import { printSummary, RepliesSummary } from '../ui/replies-summary.js'
import { closed, resultFile } from '../ui/result-file.js'
import { RunReporter } from '../ui/run-reporter.js'

export const readCommand = defineCommand({
  name: 'read',
  group: 'Ask',
  about: 'Read a file of replies and write the answers next to their records.',
  arguments: [LIBRARY, PROMPT],
  options: [
    ['--replies <file>', 'a table (.csv, .tsv, .jsonl, .json, .yaml) with the columns "reply" and "record" (the id)', undefined, true],
    ['--records <file>', 'the table of the records', undefined, true],
    ['--to <file>', 'write to this file instead of stdout: .csv, .tsv or .jsonl'],
    RAW_CELLS,
    FLATTEN,
    ['--route <column>', 'one file per label in this column of the answer'],
    ['--rejected <file>', 'write the rejected records to this file, as JSON Lines'],
    ...DOCUMENT_FLAGS,
    ['--strict', 'reject replies that need a repair'],
    ['--answered', 'skip records without a reply'],
    SET_FOR_ALL,
    ['--locale <tag>', 'how the prompt was written: a language tag'],
    ['--overwrite', 'write over files that exist'],
    ['--json', 'the summary as JSON'],
  ],
  examples: ['read demo/marram-house survey/grade --replies replies.jsonl --records demo/marram-house/data/objects.csv --to graded.csv'],
  run: (context, [folder, name], flags: ReadFlags) => read(context, folder, name, flags),
})

interface ReadFlags {
  readonly replies: string
  readonly records: string
  readonly to?: string
  readonly rawCells?: boolean
  readonly flatten?: string[]
  readonly route?: string
  readonly rejected?: string
  readonly documents?: string
  readonly as?: string
  readonly set?: string[]
  readonly locale?: string
  readonly strict?: boolean
  readonly answered?: boolean
  readonly overwrite?: boolean
  readonly json?: boolean
}

/** Reads a file of replies, and joins the answers with the records that they answer. */
async function read(context: CommandContext, folder: string, stated: string, flags: ReadFlags): Promise<number> {
  const { library, name } = await openNamed(context, folder, stated)
  const prompt = library.prompt(name)
  const files = await openFiles(context, prompt, flags)
  const summary = new RepliesSummary(prompt.answerColumns)
  const reporter = new RunReporter(context, 'read')
  try {
    return await reporter.until(async () => {
      const result = await readAll(library, prompt, flags, files, summary, reporter)
      reporter.stop()
      const written = files.results.map(({ path }) => path)
      for (const { file } of files.results) await closed(file)
      if (files.rejected) await closed(files.rejected)
      reporter.rejected.print(context, files.rejected !== undefined)
      return printResult(context, result, summary, written, flags)
    }, 'all that was written before is whole')
  } catch (fault) {
    for (const { file } of files.results) file.destroy()
    files.rejected?.destroy()
    throw fault
  }
}

async function readAll(
  library: Library,
  prompt: Prompt,
  flags: ReadFlags,
  { out, routes, results, rejected, endings }: ReadFiles,
  summary: RepliesSummary,
  reporter: RunReporter,
): Promise<ReadRepliesResult> {
  const { locale, strict = false, answered = false } = flags
  const sinks = new Map(results.map(({ path, file }) => [path, file]))
  return readReplies({
    prompt,
    records: flags.records,
    replies: flags.replies,
    values: await readSet(prompt, flags.set, { locale, limit: library.limits.attachmentBytes }),
    ...(locale !== undefined && { locale }),
    strict,
    answered,
    rawCells: flags.rawCells ?? false,
    flatten: flags.flatten ?? [],
    to: out,
    ending: flags.to === undefined ? '.csv' : readEnding(flags.to),
    ...(routes && { router: { routes, sinks } }),
    ...(rejected && { rejected }),
    onAnswer: (record, answer) => summary.add(record, answer),
    finish: async (record) => {
      if (endings.length === 0) return
      const { text } = defined(record.reply).value as FinishedDocument
      for (const ending of endings) await writeFinished(record.id, text, ending, { folder: defined(flags.documents), locale })
    },
    ...reporter.listener,
  })
}

function printResult(
  { stderr, env, signal }: CommandContext,
  { strays, interrupted }: ReadRepliesResult,
  counted: RepliesSummary,
  written: readonly string[],
  { json }: ReadFlags,
): number {
  const c = colorsFor(stderr, env)
  for (const p of strays) stderr.write(`${printProblem(p, paintFor(c))}\n`)
  const { summary } = counted
  if (json) stderr.write(`${JSON.stringify({ ...summary, strays: strays.map(problemRecord) })}\n`)
  else stderr.write(`${printSummary(summary, c)}${written.length > 0 ? `→ ${written.join(', ')}\n` : ''}`)
  if (interrupted || signal?.aborted) {
    stderr.write(`${c.yellow('interrupted')}: every line that was written is whole\n`)
    return EXIT.interrupted
  }
  return summary.refused > 0 || strays.length > 0 ? EXIT.rejected : EXIT.done
}

/** What the answers are written to: standard output, a file, or a file for each label. */
interface ReadFiles {
  readonly out: Writable
  readonly routes: ReturnType<typeof labelRouter> | undefined
  readonly results: readonly { readonly path: string; readonly file: Writable }[]
  readonly rejected: Writable | undefined
  readonly endings: readonly DocumentEnding[]
}

/** Makes sure that all files can be written before the first row is. */
async function openFiles({ stdout }: CommandContext, prompt: Prompt, flags: ReadFlags): Promise<ReadFiles> {
  const { to, route, rejected, records, replies, overwrite = false, rawCells = false, flatten } = flags
  const columns = prompt.answerColumns
  const labels = labelsOf(flags, columns)
  const endings = documentEndings(flags, prompt.name, prompt.answerColumns)
  const inputs = [records, replies]
  if (to !== undefined) checkEnding(to)
  const routes = to !== undefined && route !== undefined ? labelRouter(to, route, labels, columns, { raw: rawCells, flatten }) : undefined
  const paths = routes?.files ?? (to === undefined ? [] : [to])
  const twice = paths.find((path, i) => paths.indexOf(path) < i)
  if (twice !== undefined) throw new WrongUse(`two labels have the same file, ${twice}`, 'write one table, without --route')
  const results: { path: string; file: Writable }[] = []
  for (const path of paths) results.push({ path, file: await resultFile(path, overwrite, [...inputs, rejected]) })
  const rejectedFile = rejected === undefined ? undefined : await resultFile(rejected, overwrite, [...inputs, to])
  if (endings.length > 0 && flags.documents !== undefined) await ownFolder(flags.documents, overwrite)
  return { out: results[0]?.file ?? stdout, routes, results, rejected: rejectedFile, endings }
}

function checkEnding(path: string): void {
  try {
    readEnding(path)
  } catch {
    throw new WrongUse(`"${extname(path).toLowerCase()}" is not a table format`, 'name a file .csv, .tsv or .jsonl')
  }
}

/** The possible labels in the column of --route: a file each. */
function labelsOf({ route, to }: ReadFlags, columns: readonly AnswerColumn[]): readonly string[] {
  if (route === undefined) return []
  if (to === undefined) throw new WrongUse('--route needs files to write to', 'add --to FILE: graded.csv becomes graded.LABEL.csv')
  const column = columns.find((column) => column.name === route)
  const known = columns.flatMap((column) => (column.labels ? [column.name] : []))
  if (!column?.labels)
    throw new WrongUse(
      `the answer has no labels under "${route}"`,
      known.length > 0 ? `columns with labels: ${known.join(', ')}` : 'only a choice, a label, or yes and no can be routed by',
    )
  return column.labels
}
