import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { readCaseRows } from '@dunelight/node/host'
import { addCases, type AddCasesFlags } from '../cases/add-cases.js'
import { defineCommand, LIBRARY } from '../define-command.js'
import { openToRead } from '../flags/open-library.js'
import type { CommandContext } from '../ui/context.js'

interface ExamplesAddFlags extends AddCasesFlags {
  readonly from: string
}

export const examplesAddCommand = defineCommand({
  name: 'examples add',
  group: 'Write',
  about: 'Add the rows of a table as cases; rows that break the set’s rules are rejected.',
  arguments: [LIBRARY, ['<set>', 'the example set’s name']],
  options: [
    ['--from <file>', 'the table: .csv, .tsv, .jsonl, .json or .yaml', undefined, true],
    ['--keep <condition>', 'only matching rows, such as: grade is "treat" and checked'],
    ['--dry-run', 'show what would be added, without writing'],
    ['--allow-mock', 'add answers of the mock model too'],
  ],
  examples: ['examples add demo/marram-house condition-notes --from corrected.csv --keep \'checked is "yes"\''],
  run: (context, [folder, name], flags: ExamplesAddFlags) => examplesAdd(context, folder, name, flags),
})

/** Rows of a finished and corrected table become cases of a set; rows that break the set's rules are refused, and the rest is added. */
async function examplesAdd(context: CommandContext, folder: string, name: string, flags: ExamplesAddFlags): Promise<number> {
  const library = await openToRead(folder)
  const rows = await readCaseRows(flags.from)
  if (typeof rows === 'string') throw new ProblemError([problem('file-unreadable', { file: flags.from, why: rows })])
  return addCases(context, folder, library, name, rows, flags)
}
