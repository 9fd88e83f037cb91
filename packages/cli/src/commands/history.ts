import { wordingHistory, type HistoryEntry, type WordingChange } from '@dunelight/node'
import { defineCommand, JSON_FLAG, LIBRARY, whole } from '../define-command.js'
import { colorsFor, EXIT, sayProblems, type Colors, type CommandContext } from '../ui/context.js'
import { changeWords } from '../ui/change-words.js'
import { columns } from '../ui/table.js'

export const historyCommand = defineCommand({
  name: 'history',
  group: 'Production',
  about: 'Show the commits that changed the wording of a prompt, and what changed it.',
  arguments: [LIBRARY, ['[prompt]', 'a prompt or an assembly; default: all']],
  options: [['--take <n>', 'only the newest n changes', whole], JSON_FLAG],
  examples: ['history demo/marram-house label/write'],
  run: (context, [folder, name], flags: HistoryFlags) => history(context, folder, name, flags),
})

interface HistoryFlags {
  readonly take?: number
  readonly json?: boolean
}

async function history(context: CommandContext, folder: string, name: string | undefined, flags: HistoryFlags): Promise<number> {
  const { stdout, stderr, env } = context
  const { entries: all, problems } = await wordingHistory(folder, name)
  const entries = all.slice(0, flags.take ?? all.length)
  if (flags.json) stdout.write(`${JSON.stringify({ entries, problems: problems.map(({ message }) => message) }, null, 2)}\n`)
  else {
    const c = colorsFor(stdout, env)
    stdout.write(columns(entries.flatMap((entry) => rowsOf(entry, name, c))))
    if (entries.length === 0) stderr.write('no commit has changed a prompt\n')
  }
  sayProblems(context, problems)
  return EXIT.done
}

/** One row for each change; of a library's history the commit is written once. */
function rowsOf({ commit, changes }: HistoryEntry, name: string | undefined, c: Colors): string[][] {
  const head = commit
    ? [commit.time.slice(0, 10), c.yellow(commit.id.slice(0, 10)), commit.author, commit.subject]
    : ['now', c.yellow('not committed'), '', '']
  return changes.map((change, i) => {
    const what = name === undefined ? [c.bold(change.name)] : []
    return [...(i === 0 ? head : ['', '', '', '']), ...what, changeWords(change), c.green(editionWords(change))]
  })
}

export function editionWords({ editions }: Pick<WordingChange, 'editions'>): string {
  return editions.length === 0 ? '' : `edition ${editions.join(', ')}`
}
