import type { Library } from 'dunelight'
import { problem, readAmount } from 'dunelight/host'
import { collect, type Collected, type ReadyModel } from '@dunelight/node'
import { csvCells, readEnding } from '@dunelight/node/host'
import { printProblem } from 'dunelight'
import type { AskFlags } from './ask.js'
import { readSet } from '../flags/values.js'
import { colorsFor, EXIT, paintFor, plural, WrongUse, type CommandContext } from '../ui/context.js'
import { closed, resultFile } from '../ui/result-file.js'
import { RunReporter } from '../ui/run-reporter.js'
import { shownPath } from '../ui/shown-path.js'

/** Options that only --collect takes, and what else it cannot be combined with. */
const NOT_WITH = ['record', 'records', 'candidates', 'take', 'sample', 'tokens', 'keep', 'keepTurns'] as const

/** Collects distinct items: asks a prompt again until there are as many as wanted. One table, to a file or to stdout. */
export async function collectItems(
  context: CommandContext,
  library: Library,
  folder: string,
  prompt: string,
  model: ReadyModel,
  count: number,
  flags: AskFlags,
): Promise<number> {
  for (const flag of NOT_WITH)
    if (flags[flag] !== undefined)
      throw new WrongUse(
        `--collect cannot be combined with --${flag.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`)}`,
        'it has no table: name values with --set and --over',
      )
  if (!library.artefacts.prompts.has(prompt))
    throw new WrongUse(`--collect needs a prompt, and "${prompt}" is none`, 'name one of the prompts')
  const { stderr, env } = context
  const c = colorsFor(stderr, env)
  const { to, set, locale } = flags
  const ending = readEnding(to)
  const budget = flags.budget === undefined ? undefined : readAmount(flags.budget)
  if (flags.budget !== undefined && budget === undefined) throw new WrongUse(`--budget takes tokens such as 500k, not "${flags.budget}"`)
  const file = to === undefined ? undefined : await resultFile(to, flags.overwrite ?? false, [])
  const { notice } = new RunReporter(context, 'collected')
  if (model.isMock) notice(problem('mock-answers', {}))
  const values = await readSet(library.prompt(prompt), set, { locale, limit: library.limits.attachmentBytes })
  const over = (flags.over ?? []).flatMap((names) => names.split(',').map((name) => name.trim()))
  const result = await collect({
    library,
    folder,
    prompt,
    values,
    model,
    count,
    over,
    fresh: flags.fresh ?? false,
    ...(flags.distinct !== undefined && { distinct: flags.distinct }),
    ...(budget !== undefined && { budget }),
    ...(flags.corrections !== undefined && { corrections: flags.corrections }),
    ...(flags.concurrency !== undefined && { concurrency: flags.concurrency }),
    ...(locale !== undefined && { locale }),
    ...(flags.seed !== undefined && { seed: flags.seed }),
    notice,
    onRetry: (why) => stderr.write(`${c.dim(`retry: ${why}`)}\n`),
    onItems: (items) => {
      if (context.isVerbose) stderr.write(`${c.dim(`${items} of ${count} items`)}\n`)
    },
    ...(context.signal && { signal: context.signal }),
  })
  const text = csvCells(ending, [result.columns, ...result.items.map((item) => result.columns.map((column) => item[column]))], {
    raw: flags.rawCells ?? false,
  })
  if (file) {
    file.write(text)
    await closed(file)
  } else context.stdout.write(flags.json ? `${JSON.stringify(result, null, 2)}\n` : text)
  summary(context, result, count, to)
  if (context.signal?.aborted) return EXIT.interrupted
  return result.items.length < count ? EXIT.rejected : EXIT.done
}

function summary({ stderr, env }: CommandContext, result: Collected, count: number, to: string | undefined): void {
  const c = colorsFor(stderr, env)
  const { items, duplicates, rejected, requests, cached, why } = result
  const notes = [`${plural(duplicates, 'duplicate')} dropped`, plural(requests, 'request'), `${cached} cached`]
  if (rejected > 0) notes.push(`${plural(rejected, 'reply', 'replies')} rejected`)
  stderr.write(`${plural(items.length, 'item')}: ${notes.join(', ')}${to === undefined ? '' : ` → ${shownPath(to)}`}\n`)
  if (why !== undefined) stderr.write(`${printProblem(problem('collect-few', { wanted: count, got: items.length, why }), paintFor(c))}\n`)
}
