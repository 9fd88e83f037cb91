import { printProblem, ProblemError } from 'dunelight'
import { problem, settledCase, defined } from 'dunelight/host'
import { Picking, readyModel } from '@dunelight/node'
import { isAskRun, libraryOf, readEnding, rowWriting, type Candidate, type PickDeed, type PickDone } from '@dunelight/node/host'
import { defineCommand, JSON_FLAG, list, OVERWRITE, RUN } from '../define-command.js'
import { addCases } from './examples-add.js'
import { setNamed } from './examples.js'
import { openRun } from '../flags/saved-values.js'
import { candidateText } from '../ui/candidate-text.js'
import { closed, resultFile } from '../ui/result-file.js'
import { shownPath } from '../ui/shown-path.js'
import { columns } from '../ui/table.js'
import { colorsFor, EXIT, paintFor, plural, WrongUse, type Colors, type CommandContext } from '../ui/context.js'

export const pickCommand = defineCommand({
  name: 'pick',
  group: 'Ask',
  about: 'Picks from the answers of a run: keeps, rejects, asks again, and hands on what is settled.',
  arguments: [RUN],
  options: [
    ['--record <id>', 'show the answers of this record, whole'],
    ['--keep <id>', 'keep the last answer of this record, or ID=2 its second; may be repeated', list],
    ['--reject <id>', 'keep none of its answers; may be repeated', list],
    ['--again <id>', 'ask for it again, or for a part of its answer alone: ID:PART; may be repeated', list],
    ['--keep-rest', 'keep the last answer of every record that is open'],
    ['--again-rest', 'ask again for every record that is not kept'],
    ['--to <file>', 'write the kept answers beside their rows: .csv, .tsv or .jsonl'],
    ['--cases <set>', 'make cases of this example set of them'],
    OVERWRITE,
    JSON_FLAG,
  ],
  examples: [
    'ask demo/marram-house label/write --records demo/marram-house/data/objects.csv --record MH-0007 --answers 5',
    'pick demo/marram-house/runs/label-write-1 --keep MH-0007=2',
  ],
  run: (context, [folder], flags: PickFlags) => pick(context, folder, flags),
})

interface PickFlags {
  readonly record?: string
  readonly keep?: string[]
  readonly reject?: string[]
  readonly again?: string[]
  readonly keepRest?: boolean
  readonly againRest?: boolean
  readonly to?: string
  readonly cases?: string
  readonly overwrite?: boolean
  readonly json?: boolean
}

/** Picks from the answers of a run: keeps, rejects, asks again, and hands on what is settled. */
async function pick(context: CommandContext, folder: string, flags: PickFlags): Promise<number> {
  const ending = readEnding(flags.to)
  const { file: run, library, given } = await openRun(folder)
  if (!isAskRun(run)) throw new ProblemError([problem('run-asked-nothing', { run: run.run })])
  const home = libraryOf(folder, run)
  const model = readyModel(library, run.prompt.name, run.asking.model, run.asking.standIn)
  const { stderr } = context
  const c = colorsFor(stderr, context.env)
  const notice = (p: Parameters<typeof printProblem>[0]) => stderr.write(`${printProblem(p, paintFor(c))}\n`)
  const picking = await Picking.open(folder, { library, model, given, notice, ...(context.signal && { signal: context.signal }) })
  let refused = 0
  try {
    const deeds = deedsOf(flags)
    const onDone = (done: PickDone) => {
      if (done.problems.length > 0) refused++
      say(context, done, c)
    }
    if (deeds.length > 0) await picking.decide(deeds, onDone)
    if (context.signal?.aborted) return EXIT.interrupted
    if (flags.record !== undefined) return await showOne(context, picking, flags.record, flags.json ?? false)
    if (flags.to !== undefined) await handOn(context, picking, flags.to, ending, flags.overwrite ?? false, c)
    if (flags.cases !== undefined) {
      const set = setNamed(library, flags.cases)
      const { prompts } = library.shelf
      const records: object[] = []
      for await (const { row, values } of picking.settled())
        records.push(settledCase(set.model, prompts, run.prompt.name, values, row.answer))
      const code = await addCases(context, home, library, flags.cases, { kind: 'records', records }, {})
      if (code !== EXIT.done) refused++
    }
    if (deeds.length === 0 && flags.to === undefined && flags.cases === undefined) await showAll(context, picking, flags.json ?? false)
  } finally {
    await picking.close()
  }
  return refused > 0 ? EXIT.aside : EXIT.done
}

function deedsOf({ keep = [], reject = [], again = [], keepRest, againRest }: PickFlags): PickDeed[] {
  if (keepRest && againRest) throw new WrongUse('--keep-rest and --again-rest both speak of the rest', 'say one, then the other')
  return [
    ...keep.map((said): PickDeed => {
      const [, record, answer] = /^(.*)=(\d+)$/.exec(said) ?? []
      return { does: 'keep', records: new Set([record ?? said]), ...(answer !== undefined && { answer: Number(answer) }) }
    }),
    ...(reject.length > 0 ? [{ does: 'reject', records: new Set(reject) } as const] : []),
    ...again.map((said): PickDeed => {
      const [, record, part] = /^(.*):([^:]+)$/.exec(said) ?? []
      return { does: 'again', records: new Set([record ?? said]), ...(part !== undefined && { part }) }
    }),
    ...(keepRest ? [{ does: 'keep', records: 'open' } as const] : []),
    ...(againRest ? [{ does: 'again', records: 'unkept' } as const] : []),
  ]
}

function say({ stderr }: CommandContext, { record, does, problems, candidate }: PickDone, c: Colors): void {
  for (const { message, code, hint } of problems)
    stderr.write(`${c.yellow(record)}: ${message} ${c.dim(`[${code}]`)}\n${hint === undefined ? '' : `  ${c.bold('mend')}: ${hint}\n`}`)
  if (problems.length > 0) return
  if (does === 'reject') stderr.write(`${record}: rejected\n`)
  else if (does === 'keep') stderr.write(`${record}: kept answer ${defined(candidate).number}\n`)
  else {
    const { number, anew } = defined(candidate)
    stderr.write(`${record}: answer ${number} came${anew ? `, ${anew.part} anew, the rest of answer ${anew.of}` : ''}\n`)
  }
}

/** Records that a list shows; all of them stand in its JSON. */
const MOST_SHOWN = 60

async function showAll(context: CommandContext, picking: Picking, json: boolean): Promise<void> {
  const { stdout, stderr } = context
  const c = colorsFor(stdout, context.env)
  const count = { kept: 0, rejected: 0, open: 0 }
  const room = Math.max(20, (stdout.columns ?? 100) - 34)
  const rows = [['record', 'state', 'answers', 'says'].map((title) => c.dim(title))]
  let shown = 0
  for await (const one of picking.records()) {
    count[one.state]++
    if (json) {
      stdout.write(`${JSON.stringify(one)}\n`)
      continue
    }
    if (++shown > MOST_SHOWN) continue
    const best =
      one.candidates.find(({ number }) => number === one.kept) ?? one.candidates.findLast(({ answer }) => answer) ?? one.candidates.at(-1)
    const says = best?.answer ? said(best) : c.yellow(one.problems[0]?.message ?? best?.problems[0]?.message ?? 'no answer')
    const state = one.state === 'kept' ? c.green(`kept ${one.kept ?? ''}`) : one.state === 'rejected' ? c.red('rejected') : 'open'
    rows.push([one.record, state, String(one.candidates.length), clipped(says, room)])
  }
  if (shown > 0 && !json) stdout.write(columns(rows))
  if (shown > MOST_SHOWN && !json) stdout.write(c.dim(`… and ${plural(shown - MOST_SHOWN, 'record')} more: --json lists them all\n`))
  stderr.write(`${picking.file.run}: ${count.kept} kept, ${count.rejected} rejected, ${count.open} open\n`)
  if (count.open > 0 && !json)
    stderr.write(
      c.dim('look at one: --record ID; then --keep ID=2, --reject ID, --again ID or --again ID:PART; --keep-rest keeps all that is open\n'),
    )
}

async function showOne(context: CommandContext, picking: Picking, id: string, json: boolean): Promise<number> {
  const { stdout, stderr } = context
  for await (const one of picking.records()) {
    if (one.record !== id) continue
    if (json) stdout.write(`${JSON.stringify(one, null, 2)}\n`)
    else {
      const c = colorsFor(stdout, context.env)
      stdout.write(one.candidates.map((candidate) => candidateText(candidate, one, c)).join('\n'))
      for (const p of one.candidates.length === 0 ? one.problems : []) stderr.write(`${printProblem(p, paintFor(c))}\n`)
      if (one.parts.length > 1)
        stderr.write(c.dim(`parts that can be asked for anew: ${one.parts.map((part) => `${id}:${part}`).join(', ')}\n`))
    }
    return one.candidates.length === 0 ? EXIT.aside : EXIT.done
  }
  throw new ProblemError([problem('record-unknown', { id })])
}

async function handOn(
  { stderr }: CommandContext,
  picking: Picking,
  to: string,
  ending: ReturnType<typeof readEnding>,
  overwrite: boolean,
  c: Colors,
): Promise<void> {
  const writing = rowWriting(ending, picking.columns)
  const file = await resultFile(to, overwrite, [])
  let count = 0
  for await (const { headings, row } of picking.settled()) {
    if (count++ === 0) file.write(writing.head(headings))
    if (!file.write(writing.line(row, headings))) await new Promise((resolve) => file.once('drain', resolve))
  }
  await closed(file)
  stderr.write(`${plural(count, 'kept answer')} → ${shownPath(to)}\n${count === 0 ? c.dim('nothing has been kept yet\n') : ''}`)
}

/** An answer on one line. */
function said({ answer, text }: Candidate): string {
  const entries = Object.entries(answer ?? {})
  return entries.length === 1 ? String(defined(entries[0])[1]) : text
}

function clipped(text: string, room: number): string {
  const line = text.replace(/\s+/g, ' ').trim()
  return line.length > room ? `${line.slice(0, room - 1)}…` : line
}
