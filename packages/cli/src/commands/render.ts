import { stat } from 'node:fs/promises'
import type { Writable } from 'node:stream'
import { SingleBar } from 'cli-progress'
import { printProblem, problem, ProblemError, type Prompt } from 'dunelight'
import { renderTable, type TableFile } from '@dunelight/node'
import { Asides, printHeadings } from '../aside.js'
import { tableOf, type TableFlags } from '../batch-flags.js'
import { openToRender } from '../open.js'
import { printTurns } from '../print-turns.js'
import { closed, resultFile } from '../result-file.js'
import { rawStream } from '../streams.js'
import { colorsFor, EXIT, paintFor, plural, WrongUse, type Surroundings } from '../surroundings.js'
import { readSet } from '../values.js'

export interface RenderFlags extends TableFlags {
  readonly set?: string[]
  readonly record?: string
  readonly take?: number
  readonly to?: string
  readonly overwrite?: boolean
  readonly aside?: string
  readonly seed?: number
  readonly locale?: string
  readonly wordings?: boolean
  readonly json?: boolean
}

const TABLE_ONLY = ['record', 'take', 'aside'] as const

/** Renders one set of values, or a table. */
export async function render(around: Surroundings, folder: string, name: string, flags: RenderFlags): Promise<number> {
  const table = tableOf(flags)
  if (!table) {
    for (const flag of TABLE_ONLY) if (flags[flag] !== undefined) throw new WrongUse(`--${flag} speaks of a table`, 'add --records FILE')
  } else if (flags.wordings) throw new WrongUse('--wordings renders one set of values, not a table', 'use --set instead of --records')
  const library = await openToRender(folder, name)
  const prompt = library.prompt(name)
  const given = await readSet(prompt, flags.set, { locale: flags.locale, limit: library.limits.attachmentBytes })
  const out = flags.to === undefined ? around.stdout : await resultFile(flags.to, flags.overwrite ?? false, [flags.records])
  try {
    const code = !table ? renderOne(around, out, prompt, given, flags) : await renderMany(around, out, prompt, given, table, flags)
    if (out !== around.stdout) await closed(out)
    return code
  } catch (fault) {
    if (out !== around.stdout) out.destroy()
    throw fault
  }
}

function renderOne(around: Surroundings, out: Writable, prompt: Prompt, given: Record<string, unknown>, flags: RenderFlags): number {
  const options = { ...(flags.seed !== undefined && { seed: flags.seed }), ...(flags.locale !== undefined && { locale: flags.locale }) }
  const c = colorsFor(flags.to === undefined ? around.stdout : {}, around.env)
  const all = flags.wordings ? prompt.renderAll(given, options) : [{ wording: '', rendering: prompt.render(given, options) }]
  for (const { wording, rendering } of all) {
    for (const p of rendering.problems) around.stderr.write(`${printProblem(p, paintFor(colorsFor(around.stderr, around.env)))}\n`)
    const masked = Object.keys(rendering.masked).length > 0 ? { masked: rendering.masked } : {}
    if (flags.json)
      out.write(`${JSON.stringify({ prompt: prompt.name, ...(wording !== '' && { wording }), turns: rendering.turns, ...masked })}\n`)
    else
      out.write(
        `${wording === '' ? '' : `${c.bold(`wording ${wording}`)}\n`}${printTurns(rendering.turns, c)}${flags.wordings ? '\n' : ''}`,
      )
  }
  return EXIT.done
}

async function renderMany(
  around: Surroundings,
  out: Writable,
  prompt: Prompt,
  given: Record<string, unknown>,
  table: TableFile,
  flags: RenderFlags,
): Promise<number> {
  const { stderr } = around
  const c = colorsFor(stderr, around.env)
  const kept = flags.aside === undefined ? undefined : await resultFile(flags.aside, flags.overwrite ?? false, [table.from, flags.to])
  const asides = new Asides()
  const bar = await progressBar(around, table.from)
  const report = await renderTable({
    prompt,
    records: table,
    to: out,
    given,
    ...(flags.seed !== undefined && { seed: flags.seed }),
    ...(flags.locale !== undefined && { locale: flags.locale }),
    ...(flags.take !== undefined && { take: flags.take }),
    ...(flags.record !== undefined && { only: flags.record }),
    ...(around.signal && { signal: around.signal }),
    onHeading: (problems) => printHeadings(around, problems),
    onNotice: (p) => void stderr.write(`${printProblem(p, paintFor(c))}\n`),
    onAside: (aside) => {
      asides.add(aside.id, aside.problems)
      kept?.write(`${JSON.stringify({ row: aside.row, record: aside.id, problems: aside.problems })}\n`)
    },
    onProgress: (bytes) => bar?.update(bytes),
  }).finally(() => bar?.stop())
  if (kept) await closed(kept)
  if (flags.record !== undefined && report.rendered + report.aside === 0 && !report.interrupted)
    throw new ProblemError([problem('record-unknown', { id: flags.record })])
  asides.print(around, kept !== undefined)
  if (report.interrupted) {
    stderr.write(
      `${c.yellow('interrupted')} behind row ${report.lastRow}: ${plural(report.rendered, 'record')} written, every line whole\n`,
    )
    return EXIT.interrupted
  }
  stderr.write(
    `${plural(report.rendered, 'record')} rendered${report.aside > 0 ? `, ${plural(report.aside, 'record')} set aside` : ''}${flags.to === undefined ? '' : ` → ${flags.to}`}\n`,
  )
  return report.aside > 0 ? EXIT.aside : EXIT.done
}

/** On a terminal only: how much of the table has been read. */
async function progressBar({ stderr }: Surroundings, file: string): Promise<SingleBar | undefined> {
  if (!stderr.isTTY) return undefined
  const size = await stat(file).then(
    (found) => found.size,
    () => 0,
  )
  if (size === 0) return undefined
  const bar = new SingleBar({
    format: '{bar} {percentage}% of the table · {eta_formatted} left',
    stream: rawStream(stderr),
    hideCursor: true,
    clearOnComplete: true,
    barCompleteChar: '━',
    barIncompleteChar: '─',
  })
  bar.start(size, 0)
  return bar
}
