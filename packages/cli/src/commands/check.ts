import { printProblem, problemRecord, type Library, type Problem } from 'dunelight'
import { checkBatches } from '@dunelight/node'
import { defined } from 'dunelight/host'
import { defineCommand, JSON_FLAG, LIBRARY } from '../define-command.js'
import { openToRead, openToRender } from '../flags/open-library.js'
import { sayMembers } from '../graph/members.js'
import { colorsFor, EXIT, paintFor, plural, WrongUse, type Colors, type CommandContext } from '../ui/context.js'
import { touchedBy, type Touch, type Touched, type TouchedAssembly } from '../graph/touched.js'

interface CheckFlags {
  readonly json?: boolean
  readonly touched?: string
  readonly before?: string
  readonly records?: string
  readonly fast?: boolean
}

export const checkCommand = defineCommand({
  name: 'check',
  group: 'Write',
  about: 'Check a library for problems.',
  arguments: [LIBRARY],
  options: [
    ['--touched <file>', 'show which prompts a change of this file affects, and how many records'],
    ['--before <file>', 'the file’s earlier version; default: the last commit'],
    ['--records <file>', 'a table to render before and after; default: the tables of the batches'],
    ['--fast', 'do not look into the tables of the batches'],
    JSON_FLAG,
  ],
  examples: ['check demo/marram-house', 'check demo/marram-house --touched snippets/house/style.md'],
  run: (context, [folder], flags: CheckFlags) => check(context, folder, flags),
})

/** Prints every problem of a library: they are this command's data. For a touched file, also prints what else changes. */
async function check(context: CommandContext, folder: string, flags: CheckFlags): Promise<number> {
  const { touched, fast = false, ...others } = flags
  for (const flag of ['before', 'records'] as const)
    if (touched === undefined && flags[flag] !== undefined) throw new WrongUse(`--${flag} needs --touched`, 'add --touched FILE')
  const library = await (touched === undefined ? openToRead(folder) : openToRender(folder))
  const changes = touched === undefined ? undefined : await touchedBy(library, folder, { touched, ...others })
  const problems = [...library.problems, ...(fast ? [] : await checkBatches(library, folder))]
  const isValid = problems.every((p) => p.severity !== 'error')
  if (flags.json) {
    const records = problems.map(problemRecord)
    context.stdout.write(`${JSON.stringify({ valid: isValid, problems: records, ...(changes && { touched: changes }) }, null, 2)}\n`)
  } else {
    const c = colorsFor(context.stdout, context.env)
    context.stdout.write(printCheck(library, problems, folder, c))
    if (changes) context.stdout.write(`\n${printTouched(changes, defined(flags.touched), c)}`)
  }
  return isValid ? EXIT.done : EXIT.problems
}

/** Problems of a kind that are shown; the others are counted. */
const MOST_OF_A_KIND = 20

function printCheck(library: Library, problems: readonly Problem[], folder: string, c: Colors): string {
  const isValid = problems.every((p) => p.severity !== 'error')
  const kinds = new Map<string, number>()
  const shown = problems.filter((p) => {
    const number = (kinds.get(p.code) ?? 0) + 1
    kinds.set(p.code, number)
    return number <= MOST_OF_A_KIND
  })
  const more = [...kinds]
    .filter(([, number]) => number > MOST_OF_A_KIND)
    .map(([code, number]) => `… and ${number - MOST_OF_A_KIND} more ${c.dim(`[${code}]`)}\n\n`)
  const count = (severity: string) => problems.filter((p) => p.severity === severity).length
  const infos = count('info')
  const counts = [plural(library.promptNames().length, 'prompt'), plural(count('error'), 'error'), plural(count('warning'), 'warning')]
  if (infos > 0) counts.push(plural(infos, 'remark'))
  return `${shown.map((p) => `${printProblem(p, paintFor(c))}\n\n`).join('')}${more.join('')}${folder}: ${isValid ? c.green('valid') : c.red('not valid')} · ${counts.join(' · ')}\n`
}

function printTouched({ members, since, prompts, assemblies }: Touched, file: string, c: Colors): string {
  const head = `${c.bold(sayMembers(members))}: ${prompts.length === 0 ? 'no prompt uses it' : `used by ${plural(prompts.length, 'prompt')}`}`
  const against =
    prompts.length === 0
      ? []
      : [
          c.dim(
            since === undefined
              ? `there is no earlier version of ${file} to compare with: name one with --before FILE`
              : `compared with ${since}`,
          ),
        ]
  const width = Math.max(0, ...prompts.map((prompt) => prompt.prompt.length))
  return `${[head, ...against, ...prompts.flatMap((prompt) => touchLines(prompt, width, c)), ...assemblies.map((assembly) => assemblyLine(assembly, c))].join('\n')}\n`
}

function assemblyLine({ assembly, parts, after }: TouchedAssembly, c: Colors): string {
  const later = after.length === 0 ? '' : `; after them: ${after.join(', ')}`
  return `  ${assembly}  ${c.dim('assembly')}  asked again: ${parts.join(', ')}${later}`
}

function touchLines({ prompt, changed, faulty, tables }: Touch, width: number, c: Colors): string[] {
  const name = `  ${prompt.padEnd(width)}`
  if (changed === undefined) return [name]
  if (!changed) return [`${name}  ${c.dim('unchanged')}`]
  const lines = tables.flatMap(({ records, comparison, why }) => {
    if (!comparison) return [why ?? '', c.dim(`in ${records}`)]
    const { changed: differ, records: all, lost, won, rejected, examples } = comparison
    const parts = [`${differ} of ${plural(all, 'record')} ${differ === 1 ? 'renders' : 'render'} differently`]
    if (lost > 0) parts.push(c.red(`${lost} can no longer be rendered`))
    if (won > 0) parts.push(`${won} can be rendered now`)
    if (rejected > 0) parts.push(`${rejected} rejected as before`)
    return [
      parts.join(', '),
      c.dim(`in ${records}${examples.length > 0 ? `: ${examples.join(', ')}${examples.length < differ + lost + won ? ' …' : ''}` : ''}`),
    ]
  })
  const without = faulty ? 'it has errors, now or before, and cannot be rendered' : 'no batch renders it; name a table with --records FILE'
  const [first = without, ...more] = lines
  return [`${name}  ${c.yellow('changed')}  ${first}`, ...more.map((line) => `${' '.repeat(name.length + 11)}${line}`)]
}
