import { stat } from 'node:fs/promises'
import type { Writable } from 'node:stream'
import { type Library, type Prompt } from 'dunelight'
import { renderTable, type TableFile } from '@dunelight/node'
import { defineCommand, JSON_FLAG, LIBRARY, list, LOCALE, NAME, OVERWRITE, PROMPT, TABLE_FLAGS, TAKE, whole } from '../define-command.js'
import { tableOf, type TableFlags } from '../flags/batch-flags.js'
import { APPROVER_FLAGS, openNamed, type ApproverFlags } from '../flags/open-library.js'
import { readSet } from '../flags/values.js'
import { colorsFor, EXIT, plural, WrongUse, type CommandContext, sayProblems } from '../ui/context.js'
import { printTurns } from '../ui/print-turns.js'
import { closed, resultFile } from '../ui/result-file.js'
import { RunReporter } from '../ui/run-reporter.js'

export const renderCommand = defineCommand({
  name: 'render',
  group: 'Render',
  about: 'Render a prompt for one set of values or for every record of a table.',
  arguments: [LIBRARY, PROMPT],
  options: [
    ...TABLE_FLAGS,
    ['--set <name=value>', 'a value; can be repeated; item.title=Lamp sets a field', list],
    ['--record <id>', 'only this record'],
    ['--as <name>', 'the record variable that receives the row'],
    NAME,
    TAKE,
    ['--to <file>', 'write to this file instead of stdout'],
    OVERWRITE,
    ['--rejected <file>', 'write the rejected records to this file, as JSON Lines'],
    ['--seed <n>', 'chooses between the wordings of vary', whole],
    LOCALE,
    ['--wordings', 'render every wording of vary'],
    ...APPROVER_FLAGS,
    JSON_FLAG,
  ],
  examples: [
    'render demo/marram-house label/write --records demo/marram-house/data/objects.csv --record MH-0007',
    'render demo/marram-house label/write --records demo/marram-house/data/objects.csv --to labels.jsonl',
  ],
  run: (context, [folder, name], flags: RenderFlags) => render(context, folder, name, flags),
})

interface RenderFlags extends TableFlags, ApproverFlags {
  readonly set?: string[]
  readonly record?: string
  readonly as?: string
  readonly name?: string
  readonly take?: number
  readonly to?: string
  readonly overwrite?: boolean
  readonly rejected?: string
  readonly seed?: number
  readonly locale?: string
  readonly wordings?: boolean
  readonly json?: boolean
}

const TABLE_ONLY = ['record', 'as', 'name', 'take', 'rejected'] as const

/** Renders one set of values, or a table. */
async function render(context: CommandContext, folder: string, stated: string, flags: RenderFlags): Promise<number> {
  const table = tableOf(flags)
  if (!table) {
    for (const flag of TABLE_ONLY)
      if (flags[flag] !== undefined) throw new WrongUse(`--${flag} needs --records`, 'name a table with --records FILE')
  } else if (flags.wordings) throw new WrongUse('--wordings renders one set of values, not a table', 'use --set instead of --records')
  const { library, name } = await openNamed(context, folder, stated, flags)
  const prompt = library.prompt(name)
  const values = await readSet(prompt, flags.set, { locale: flags.locale, limit: library.limits.attachmentBytes })
  const out = flags.to === undefined ? context.stdout : await resultFile(flags.to, flags.overwrite ?? false, [flags.records])
  try {
    const code = !table
      ? renderOne(context, out, prompt, values, flags)
      : await renderMany(context, out, library, prompt, values, table, flags)
    if (out !== context.stdout) await closed(out)
    return code
  } catch (fault) {
    if (out !== context.stdout) out.destroy()
    throw fault
  }
}

function renderOne(context: CommandContext, out: Writable, prompt: Prompt, values: Record<string, unknown>, flags: RenderFlags): number {
  const options = { ...(flags.seed !== undefined && { seed: flags.seed }), ...(flags.locale !== undefined && { locale: flags.locale }) }
  const c = colorsFor(flags.to === undefined ? context.stdout : {}, context.env)
  const all = flags.wordings ? prompt.renderAll(values, options) : [{ wording: '', rendering: prompt.render(values, options) }]
  for (const { wording, rendering } of all) {
    sayProblems(context, rendering.problems)
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
  context: CommandContext,
  out: Writable,
  library: Library,
  prompt: Prompt,
  values: Record<string, unknown>,
  table: TableFile,
  flags: RenderFlags,
): Promise<number> {
  const { stderr } = context
  const { seed, locale, as, name, take, record, overwrite = false } = flags
  const rejected = flags.rejected === undefined ? undefined : await resultFile(flags.rejected, overwrite, [table.from, flags.to])
  const reporter = new RunReporter(context, 'rendered')
  return reporter.until(async () => {
    const report = await renderTable({
      prompt,
      records: table,
      bytes: await sizeOf(table.from),
      to: out,
      values,
      ...(rejected && { rejected }),
      ...(seed !== undefined && { seed }),
      ...(locale !== undefined && { locale }),
      ...(as !== undefined && { as }),
      ...(name !== undefined && { names: { name, library } }),
      ...(take !== undefined && { take }),
      ...(record !== undefined && { only: record }),
      ...reporter.listener,
    })
    reporter.stop()
    if (rejected) await closed(rejected)
    reporter.rejected.print(context, rejected !== undefined)
    const records = plural(report.written, 'record')
    if (report.interrupted) {
      const c = colorsFor(stderr, context.env)
      stderr.write(`${c.yellow('interrupted')} after row ${report.records}: ${records} written, every line complete\n`)
      return EXIT.interrupted
    }
    const count = report.rejected > 0 ? `, ${plural(report.rejected, 'record')} rejected` : ''
    stderr.write(`${records} rendered${count}${flags.to === undefined ? '' : ` → ${flags.to}`}\n`)
    return report.rejected > 0 ? EXIT.rejected : EXIT.done
  }, 'all that was written before is whole')
}

/** A table's size; 0 if it is not known. */
async function sizeOf(path: string): Promise<number> {
  return stat(path).then(
    ({ size }) => size,
    () => 0,
  )
}
