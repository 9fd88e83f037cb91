import { readFile } from 'node:fs/promises'
import { printProblem, ProblemError, type Library } from 'dunelight'
import { problem, acceptedCase, defined } from 'dunelight/host'
import { Review, readyModel } from '@dunelight/node'
import {
  isAskRun,
  KnownIds,
  libraryOf,
  readEnding,
  reason,
  rowWriting,
  type Candidate,
  type ReviewAction,
  type ReviewedRecord,
  type ReviewResult,
} from '@dunelight/node/host'
import { addCases, setNamed } from '../cases/add-cases.js'
import { defineCommand, JSON_FLAG, list, OVERWRITE, FLATTEN, RAW_CELLS, RUN } from '../define-command.js'
import { DOCUMENT_FLAGS, documentEndings, ownFolder, writeFinished } from '../ui/documents.js'
import { openRun } from '../flags/saved-values.js'
import { candidateText } from '../ui/candidate-text.js'
import { closed, resultFile } from '../ui/result-file.js'
import { shownPath } from '../ui/shown-path.js'
import { columns } from '../ui/table.js'
import { colorsFor, EXIT, paintFor, plural, WrongUse, type Colors, type CommandContext } from '../ui/context.js'

export const reviewCommand = defineCommand({
  name: 'review',
  group: 'Ask',
  about: 'Review the answers of a run: accept, discard or regenerate them, and export the accepted ones.',
  arguments: [RUN],
  options: [
    ['--record <id>', 'show the answers of this record in full'],
    ['--accept <id>', 'accept the last answer of this record, or with ID=2 its second; of a part: ID:PART=2; can be repeated', list],
    ['--discard <id>', 'discard all its answers; can be repeated', list],
    ['--regenerate <id>', 'ask again for this record, or with ID:PART for one part; can be repeated', list],
    ['--edit <id>', 'accept a text of your own: ID=FILE; can be repeated', list],
    ['--accept-rest', 'accept the last answer of every undecided record'],
    ['--regenerate-rest', 'ask again for every record that is not accepted'],
    ['--to <file>', 'write the accepted answers next to their rows: .csv, .tsv or .jsonl'],
    RAW_CELLS,
    FLATTEN,
    ...DOCUMENT_FLAGS,
    ['--allow-out-of-date', 'export documents whose accepted parts were asked with other inputs than those of now'],
    ['--cases <set>', 'add the accepted answers to this example set'],
    ['--allow-mock', 'with --cases: add answers of the mock model too'],
    OVERWRITE,
    JSON_FLAG,
  ],
  examples: [
    'ask demo/marram-house label/write --records demo/marram-house/data/objects.csv --record MH-0007 --candidates 5',
    'review demo/marram-house/runs/label-write-1 --accept MH-0007=2',
  ],
  run: (context, [folder], flags: ReviewFlags) => review(context, folder, flags),
})

interface ReviewFlags {
  readonly record?: string
  readonly rawCells?: boolean
  readonly flatten?: string[]
  readonly accept?: string[]
  readonly discard?: string[]
  readonly regenerate?: string[]
  readonly edit?: string[]
  readonly acceptRest?: boolean
  readonly regenerateRest?: boolean
  readonly to?: string
  readonly documents?: string
  readonly as?: string
  readonly cases?: string
  readonly allowOutOfDate?: boolean
  readonly allowMock?: boolean
  readonly overwrite?: boolean
  readonly json?: boolean
}

/** Picks from the answers of a run: keeps, rejects, asks again, and passes on what is settled. */
async function review(context: CommandContext, folder: string, flags: ReviewFlags): Promise<number> {
  const ending = readEnding(flags.to)
  const { file: run, library, values: passed } = await openRun(folder, context.env)
  if (!isAskRun(run)) throw new ProblemError([problem('run-without-answers', { run: run.run })])
  const home = libraryOf(folder, run)
  const model = readyModel(library, run.prompt.name, run.asking.model, run.asking.mock)
  const { stderr } = context
  const c = colorsFor(stderr, context.env)
  const notice = (p: Parameters<typeof printProblem>[0]) => stderr.write(`${printProblem(p, paintFor(c))}\n`)
  const opened = await Review.open(folder, { library, model, values: passed, notice, ...(context.signal && { signal: context.signal }) })
  let refused = 0
  try {
    const actions = await actionsOf(flags, opened.isAssembly)
    const endings = documentEndings(flags, run.prompt.name, opened.columns)
    const onDone = (done: ReviewResult) => {
      if (done.problems.length > 0) refused++
      say(context, done, c)
    }
    if (actions.length > 0) await opened.apply(actions, onDone)
    if (context.signal?.aborted) return EXIT.interrupted
    if (flags.record !== undefined) return await showOne(context, opened, flags.record, flags.json ?? false)
    if (flags.to !== undefined) refused += await exportAccepted(context, opened, flags.to, ending, flags, c)
    if (endings.length > 0) refused += await writeAccepted(context, opened, endings, flags, c)
    if (flags.cases !== undefined && !(await addAccepted(context, opened, library, home, flags.cases, flags.allowMock ?? false))) refused++
    if (actions.length === 0 && flags.to === undefined && flags.documents === undefined && flags.cases === undefined)
      await showAll(context, opened, flags.json ?? false)
  } finally {
    await opened.close()
  }
  return refused > 0 ? EXIT.rejected : EXIT.done
}

async function actionsOf(
  { accept = [], discard = [], regenerate = [], edit = [], acceptRest, regenerateRest }: ReviewFlags,
  isAssembly: boolean,
): Promise<ReviewAction[]> {
  if (acceptRest && regenerateRest)
    throw new WrongUse('--accept-rest and --regenerate-rest cannot be combined', 'run them one after the other')
  return [
    ...accept.map((text): ReviewAction => {
      const [, record, answer] = /^(.*)=(\d+)$/.exec(text) ?? []
      return { does: 'accept', records: new Set([record ?? text]), ...(answer !== undefined && { answer: Number(answer) }) }
    }),
    ...(discard.length > 0 ? [{ does: 'discard', records: new Set(discard) } as const] : []),
    ...(await Promise.all(edit.map(editOf))),
    ...regenerate.map((text): ReviewAction => {
      // The name of an assembly's part has a colon of its own: L-7:heading.
      const [, record, part] = (isAssembly ? /^(.*:[^:]+):([^:]+)$/ : /^(.*):([^:]+)$/).exec(text) ?? []
      return { does: 'regenerate', records: new Set([record ?? text]), ...(part !== undefined && { part }) }
    }),
    ...(acceptRest ? [{ does: 'accept', records: 'open' } as const] : []),
    ...(regenerateRest ? [{ does: 'regenerate', records: 'unaccepted' } as const] : []),
  ]
}

/** `L-7:heading=heading.txt`: the text of a file in the place of an answer. */
async function editOf(text: string): Promise<ReviewAction> {
  const [, record, path] = /^(.+?)=(.+)$/.exec(text) ?? []
  if (record === undefined || path === undefined) throw new WrongUse(`--edit needs ID=FILE, not "${text}"`)
  const content = await readFile(path, 'utf8').catch((fault: unknown) => {
    throw new WrongUse(`cannot read ${path}: ${reason(fault)}`)
  })
  return { does: 'edit', records: new Set([record]), text: content.replace(/\r?\n$/, '') }
}

function say({ stderr }: CommandContext, { record, does, problems, candidate }: ReviewResult, c: Colors): void {
  for (const { message, code, hint } of problems)
    stderr.write(`${c.yellow(record)}: ${message} ${c.dim(`[${code}]`)}\n${hint === undefined ? '' : `  ${c.bold('help')}: ${hint}\n`}`)
  if (problems.length > 0) return
  if (does === 'discard') stderr.write(`${record}: discarded\n`)
  else if (does === 'accept' || does === 'edit') stderr.write(`${record}: accepted answer ${defined(candidate).number}\n`)
  else {
    const { number, isRegenerated } = defined(candidate)
    stderr.write(
      `${record}: received answer ${number}${isRegenerated ? `, ${isRegenerated.part} regenerated, the rest from answer ${isRegenerated.of}` : ''}\n`,
    )
  }
}

/** Records that a list shows; its JSON has all of them. */
const MOST_SHOWN = 20

async function showAll(context: CommandContext, opened: Review, json: boolean): Promise<void> {
  const { stdout, stderr } = context
  const c = colorsFor(stdout, context.env)
  const count = { accepted: 0, discarded: 0, open: 0 }
  const room = Math.max(20, (stdout.columns ?? 100) - 34)
  const rows = [['record', 'state', 'answers', 'answer'].map((title) => c.dim(title))]
  let shown = 0
  for await (const record of opened.records()) {
    count[record.state]++
    if (json) {
      stdout.write(`${JSON.stringify(record)}\n`)
      continue
    }
    if (++shown > MOST_SHOWN) continue
    const best =
      record.candidates.find(({ number }) => number === (record.accepted ?? record.taken)) ??
      record.candidates.findLast(({ answer }) => answer) ??
      record.candidates.at(-1)
    const message = best?.answer ? answerText(best) : c.yellow(record.problems[0]?.message ?? best?.problems[0]?.message ?? 'no answer')
    rows.push([record.record, stateOf(record, c), String(record.candidates.length), clipped(message, room)])
  }
  if (shown > 0 && !json) stdout.write(columns(rows))
  if (shown > MOST_SHOWN && !json) stdout.write(c.dim(`… and ${plural(shown - MOST_SHOWN, 'record')} more: --json lists them all\n`))
  stderr.write(`${opened.file.run}: ${count.accepted} accepted, ${count.discarded} discarded, ${count.open} open\n`)
  if (opened.file.state === 'waiting' && !json) stderr.write(c.dim(`after the choice: dunelight resume ${shownPath(opened.folder)}\n`))
  if (count.open > 0 && !json)
    stderr.write(c.dim('show one: --record ID; decide: --accept ID=2, --discard ID, --regenerate ID or ID:PART, --accept-rest\n'))
}

async function showOne(context: CommandContext, opened: Review, id: string, json: boolean): Promise<number> {
  const { stdout, stderr } = context
  const known = new KnownIds()
  if (opened.isAssembly && (await opened.recordNames()).includes(id)) return showDocument(context, opened, id, json)
  for await (const record of opened.records()) {
    known.add(record.record)
    if (record.record !== id) continue
    if (json) stdout.write(`${JSON.stringify(record, null, 2)}\n`)
    else {
      const c = colorsFor(stdout, context.env)
      stdout.write(record.candidates.map((candidate) => candidateText(candidate, record, c)).join('\n'))
      for (const p of record.candidates.length === 0 ? record.problems : []) stderr.write(`${printProblem(p, paintFor(c))}\n`)
      if (record.parts.length > 1)
        stderr.write(c.dim(`parts that can be regenerated: ${record.parts.map((part) => `${id}:${part}`).join(', ')}\n`))
    }
    return record.candidates.length === 0 ? EXIT.rejected : EXIT.done
  }
  throw new ProblemError([known.unknown(id)])
}

/** One record of an assembly: its document on stdout as far as it is there, and the state of its parts. */
async function showDocument({ stdout, stderr, env }: CommandContext, opened: Review, id: string, json: boolean): Promise<number> {
  const { parts, document, outOfDate } = await opened.assembled(id)
  if (json) {
    stdout.write(`${JSON.stringify({ record: id, document: document?.text ?? null, outOfDate, parts }, null, 2)}\n`)
    return EXIT.done
  }
  if (document) stdout.write(document.text.endsWith('\n') ? document.text : `${document.text}\n`)
  const c = colorsFor(stderr, env)
  const rows = parts.map((part) => [part.record, stateOf(part, c), plural(part.candidates.length, 'answer')])
  stderr.write(columns(rows))
  return document ? EXIT.done : EXIT.rejected
}

/** What was decided of a record or of a part, in colour. */
function stateOf({ state, accepted, isOutOfDate = false, part }: ReviewedRecord, c: Colors): string {
  if (state === 'accepted') return c.green(`accepted ${accepted ?? ''}`) + (isOutOfDate ? c.yellow(' out of date') : '')
  if (state === 'discarded') return c.red('discarded')
  return part?.chosenBy === 'person' ? c.yellow('to choose') : 'open'
}

/** Adds the accepted answers to an example set. Returns whether all of them could be added. */
async function addAccepted(
  context: CommandContext,
  opened: Review,
  library: Library,
  home: string,
  set: string,
  allowMock: boolean,
): Promise<boolean> {
  const { model } = setNamed(library, set)
  const records: object[] = []
  const mocks = new Set<number>()
  for await (const { row, values } of opened.settled()) {
    if (row.isMock) mocks.add(records.length)
    records.push(acceptedCase(model, library.artefacts.prompts, opened.file.prompt.name, values, row.answer))
  }
  return (await addCases(context, home, library, set, { kind: 'records', records }, { mocks, allowMock })) === EXIT.done
}

/** The accepted documents, a file each. */
async function writeAccepted(
  { stderr }: CommandContext,
  opened: Review,
  endings: ReturnType<typeof documentEndings>,
  { documents = '', overwrite = false, allowOutOfDate = false }: ReviewFlags,
  c: Colors,
): Promise<number> {
  await ownFolder(documents, overwrite)
  let count = 0
  let refused = 0
  for await (const { row, outOfDate } of opened.settled()) {
    if (outOfDate.length > 0 && !allowOutOfDate) {
      refused++
      sayOutOfDate(stderr, row, outOfDate, c)
      continue
    }
    const text = row.answer['document']
    if (typeof text !== 'string') continue
    for (const ending of endings)
      await writeFinished(String(row.about?.['record']), text, ending, { folder: documents, isMock: row.isMock ?? false })
    count++
  }
  stderr.write(
    `${plural(count, 'accepted document')} → ${shownPath(documents)}\n${count === 0 ? c.dim('no answer is accepted yet\n') : ''}`,
  )
  return refused
}

function sayOutOfDate(
  stderr: CommandContext['stderr'],
  { about }: { readonly about?: Readonly<Record<string, unknown>> },
  parts: readonly string[],
  c: Colors,
): void {
  stderr.write(`${printProblem(problem('part-out-of-date', { record: String(about?.['record']), parts }), paintFor(c))}\n`)
}

async function exportAccepted(
  { stderr }: CommandContext,
  opened: Review,
  to: string,
  ending: ReturnType<typeof readEnding>,
  { overwrite = false, rawCells = false, flatten, allowOutOfDate = false }: ReviewFlags,
  c: Colors,
): Promise<number> {
  const writing = rowWriting(ending, opened.columns, { raw: rawCells, flatten })
  const file = await resultFile(to, overwrite, [])
  let count = 0
  let refused = 0
  for await (const { headings, row, outOfDate } of opened.settled()) {
    if (outOfDate.length > 0 && !allowOutOfDate) {
      refused++
      sayOutOfDate(stderr, row, outOfDate, c)
      continue
    }
    if (count++ === 0) file.write(writing.head(headings))
    if (!file.write(writing.line(row, headings))) await new Promise((resolve) => file.once('drain', resolve))
  }
  await closed(file)
  stderr.write(`${plural(count, 'accepted answer')} → ${shownPath(to)}\n${count === 0 ? c.dim('no answer is accepted yet\n') : ''}`)
  return refused
}

/** An answer on one line. */
function answerText({ answer, text }: Candidate): string {
  const entries = Object.entries(answer ?? {})
  const [only] = entries
  return entries.length === 1 && typeof only?.[1] === 'string' ? only[1] : text
}

function clipped(text: string, room: number): string {
  const line = text
    .trim()
    .replace(/\s*\n\s*/g, ' / ')
    .replace(/\s+/g, ' ')
  return line.length > room ? `${line.slice(0, room - 1)}…` : line
}
