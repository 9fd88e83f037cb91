import { printProblem } from 'dunelight'
import { defined, Fit, type FitReport, type FittedJoin, type FittedVariable } from 'dunelight/host'
import { readTable } from '@dunelight/node'
import { fileReader, readPools, readyBatch, takesFiles, withNames } from '@dunelight/node/host'
import { BATCH, BATCH_FLAGS, defineCommand, JSON_FLAG, LIBRARY, LOCALE, SET_FOR_ALL } from '../define-command.js'
import { namedBatch, type BatchFlags } from '../flags/batch-flags.js'
import { openNamed } from '../flags/open-library.js'
import { colorsFor, EXIT, paintFor, plural, type Colors, type CommandContext } from '../ui/context.js'
import { columns as aligned } from '../ui/table.js'
import { readSet } from '../flags/values.js'

interface FitFlags extends BatchFlags {
  readonly set?: string[]
  readonly locale?: string
  readonly json?: boolean
}

export const fitCommand = defineCommand({
  name: 'fit',
  group: 'Render',
  about: 'Show how a table’s columns fill a prompt’s variables, before you run anything.',
  arguments: [LIBRARY, BATCH],
  options: [...BATCH_FLAGS, SET_FOR_ALL, LOCALE, JSON_FLAG],
  examples: ['fit demo/marram-house label/write --records demo/marram-house/data/objects.csv'],
  run: (context, [folder, what], flags: FitFlags) => fit(context, folder, what, flags),
})

/** Shows how a table's columns become a prompt's variables, before anything runs. */
async function fit(context: CommandContext, folder: string, stated: string, flags: FitFlags): Promise<number> {
  const { library, name: what } = await openNamed(context, folder, stated)
  const { model, records } = namedBatch(library, folder, what, flags)
  const prompt = library.inputOf(model.prompt?.name ?? '')
  const values = await readSet(prompt, flags.set, { locale: flags.locale, limit: library.limits.attachmentBytes })
  const batch = await readyBatch(library, model, folder, { values, ...(flags.locale !== undefined && { locale: flags.locale }) })
  const paint = paintFor(colorsFor(context.stderr, context.env))
  const notice = { notice: (p: Parameters<typeof printProblem>[0]) => void context.stderr.write(`${printProblem(p, paint)}\n`) }
  const pools = await readPools(batch, folder, notice)
  const { named, parts } = await withNames(readTable(defined(records), notice), batch.model.called ? null : undefined)
  const fit = named === null ? new Fit(batch, pools) : new Fit(batch, pools, named)
  const files = takesFiles(batch) ? fileReader(batch, pools, folder, defined(records).from) : undefined
  for await (const { headings, rows } of parts) {
    if (files) for (const row of rows) fit.add(headings, [await files(headings, row)])
    else fit.add(headings, rows)
    if (context.signal?.aborted) break
  }
  const report = fit.report()
  const c = colorsFor(context.stdout, context.env)
  context.stdout.write(flags.json ? `${JSON.stringify(report, null, 2)}\n` : printFit(report, prompt.name, defined(records).from, c))
  if (context.signal?.aborted) return EXIT.interrupted
  const missing = report.variables.some((variable) => variable.how === 'missing' && variable.required)
  return missing ? EXIT.problems : report.rejected > 0 ? EXIT.rejected : EXIT.done
}

function printFit(report: FitReport, prompt: string, table: string, c: Colors): string {
  const { rows, included, rejected, variables, unused, columns, hints, joined } = report
  const head = `${c.bold(prompt)} ${c.dim('and')} ${c.bold(table)}\n${plural(rows, 'row')}${included < rows ? `, ${included} selected` : ''}: ${verdict(included, rejected, variables, c)}\n`
  const lines = variables.map((variable) => line(variable, included, c))
  const painted = (cells: readonly Cell[]) => cells.map(({ text, paint = plain }) => paint(text))
  const grid = aligned([TITLES.map((text) => c.dim(text)), ...lines.map(painted)], { indent: 2 })
  const misfits = variables.flatMap(({ path, heading, misfits: some, invalid }) =>
    invalid === 0
      ? []
      : [...new Set(some.map(({ why }) => why))].map((why, i, reasons) => {
          const cells = some.filter((item) => item.why === why).map((item) => `row ${item.row} "${item.cell}"`)
          const more = i === reasons.length - 1 && invalid > some.length ? `, and ${invalid - some.length} more` : ''
          return `  ${c.bold(heading ?? path)}: ${cells.join(', ')}${more} ${c.dim(`— ${why}`)}`
        }),
  )
  const spare = unused.map(
    ({ heading, samples }) =>
      `  ${heading === '' ? c.dim('(no heading)') : heading}${samples.length > 0 ? c.dim(`  ${samples.join(' · ')}`) : ''}`,
  )
  const part = (name: string, all: readonly string[]) => (all.length === 0 ? '' : `\n${c.dim(name)}\n${all.join('\n')}\n`)
  return [
    head,
    `\n${grid}`,
    `\n${names(report, c)}\n`,
    ...joined.map((table) => `\n${joinedTable(table, included, c)}`),
    part('invalid cells', misfits),
    part(
      'rejected',
      report.others.map((other) => `  row ${other.row}: ${other.message}`),
    ),
    part('unused columns', spare),
    columns.length === 0
      ? ''
      : `\n${c.dim('to fix it, add to the batch:')}\ncolumns:\n${columns.map((column) => `  ${column}\n`).join('')}`,
    part(
      'hints',
      hints.map((hint) => `  ${hint}`),
    ),
  ].join('')
}

/** What the records are called by. */
function names({ names: { by, heading, named, samples }, included }: FitReport, c: Colors): string {
  const some = samples.length > 0 ? c.dim(`  ${samples.join(' · ')}`) : ''
  const share = named < included && by !== 'row' ? `, ${percent(included - named, included)} by their row number` : ''
  const what = by === 'name' ? 'the batch’s name' : by === 'column' ? `the column "${heading ?? ''}"` : 'their row numbers'
  return `${c.dim('records are named by')} ${what}${share}${some}`
}

/** The columns of a joined table; their shares are of its rows. */
function joinedTable({ as, table, rows, unfit, without, columns }: FittedJoin, included: number, c: Colors): string {
  const unread = unfit > 0 ? `, ${c.yellow(`${unfit} without a key or with unfit cells`)}` : ''
  const lacking = without > 0 ? `${c.yellow(percent(without, included))} of the records have no row` : 'every record has a row'
  const lines = columns.map(({ path, takes, heading, empty, samples }) => [
    path,
    c.dim(clipped(takes)),
    heading,
    c.dim(percent(empty, rows - unfit)),
    c.dim(samples.join(' · ')),
  ])
  const grid = aligned([['column', 'is', 'heading', 'empty', 'examples'].map((text) => c.dim(text)), ...lines], { indent: 2 })
  return `${c.dim('joined')} ${as} ${c.dim('from')} ${table}: ${plural(rows, 'row')}${unread}; ${lacking}\n${grid}`
}

const TITLES = ['variable', 'takes', 'column', 'empty', 'invalid', 'examples'] as const

interface Cell {
  readonly text: string
  readonly paint?: ((text: string) => string) | undefined
}

const plain = (text: string) => text

function line(fittedVariable: FittedVariable, rows: number, c: Colors): Cell[] {
  const { path, takes, required, heading, how, empty, invalid, samples } = fittedVariable
  const missing = how === 'missing'
  const column =
    how === 'set'
      ? 'set'
      : how === 'joined'
        ? `joined ${heading ?? ''}`.trimEnd()
        : missing
          ? required
            ? 'MISSING'
            : 'none'
          : `${how === 'same' ? '=' : '≈'} ${defined(heading)}`
  const share = (count: number) => (missing || how === 'set' ? '' : percent(count, rows))
  return [
    { text: path },
    { text: clipped(takes), paint: c.dim },
    { text: column, paint: missing ? (required ? c.red : c.dim) : undefined },
    { text: share(empty), paint: required && empty > 0 ? c.yellow : c.dim },
    { text: how === 'joined' ? '' : share(invalid), paint: invalid > 0 ? c.yellow : c.dim },
    { text: samples.join(' · '), paint: c.dim },
  ]
}

function clipped(text: string): string {
  return text.length > 24 ? `${text.slice(0, 23)}…` : text
}

function percent(count: number, rows: number): string {
  if (count === 0) return '–'
  const share = (count / rows) * 100
  return share < 0.1 ? '< 0.1 %' : `${share < 10 ? share.toFixed(1) : Math.round(share)} %`
}

function verdict(kept: number, rejected: number, variables: readonly FittedVariable[], c: Colors): string {
  const missing = variables.filter((variable) => variable.how === 'missing' && variable.required)
  if (missing.length > 0) return c.red(`nothing can run, ${plural(missing.length, 'variable has', 'variables have')} no column`)
  if (kept === 0) return c.yellow('there is nothing to render')
  return rejected === 0 ? c.green('all are valid') : `${kept - rejected} valid, ${c.yellow(`${rejected} would be rejected`)}`
}
