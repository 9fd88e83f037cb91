import { listRuns, type ListedRun } from '@dunelight/node'
import { isAskRun } from '@dunelight/node/host'
import { defineCommand, JSON_FLAG, LIBRARY } from '../define-command.js'
import { colorsFor, EXIT, plural, type Colors, type CommandContext } from '../ui/context.js'
import { shownPath } from '../ui/shown-path.js'
import { columns } from '../ui/table.js'

export const runsCommand = defineCommand({
  name: 'runs',
  group: 'Runs',
  about: 'List the runs of a library.',
  arguments: [LIBRARY],
  options: [['--runs <folder>', 'the folder of the run folders'], JSON_FLAG],
  examples: ['runs demo/marram-house'],
  run: (context, [folder], flags: RunsFlags) => runs(context, folder, flags),
})

interface RunsFlags {
  readonly json?: boolean
  readonly runs?: string
}

async function runs({ stdout, stderr, env }: CommandContext, folder: string, flags: RunsFlags): Promise<number> {
  const listed = await listRuns(flags.runs ?? `${folder}/runs`)
  if (flags.json) {
    const all = listed.map(({ folder: path, state, file }) => ({ ...file, folder: path, state }))
    stdout.write(`${JSON.stringify(all, null, 2)}\n`)
    return EXIT.done
  }
  const c = colorsFor(stdout, env)
  if (listed.length === 0) stderr.write(`no run has been made here yet: dunelight run ${folder} BATCH\n`)
  else stdout.write(columns(listed.map((run) => rowOf(run, c))))
  return EXIT.done
}

function rowOf({ file, state, folder }: ListedRun, c: Colors): string[] {
  const paint = { done: c.green, waiting: c.yellow, running: c.cyan, interrupted: c.yellow, failed: c.red, crashed: c.yellow }[state]
  const { counts } = file
  const rejected = counts && counts.rejected > 0 ? `, ${counts.rejected} rejected` : ''
  const count = counts ? `${plural(counts.written, isAskRun(file) ? 'answer' : 'record')}${rejected}` : ''
  const next =
    state === 'done' || state === 'running' ? '' : c.dim(`dunelight ${state === 'waiting' ? 'review' : 'resume'} ${shownPath(folder)}`)
  return [file.run, paint(state), c.dim(file.started.replace('T', ' ').slice(0, 16)), file.prompt.name, count, next]
}
