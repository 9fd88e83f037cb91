import { Command, Option } from 'commander'
import { nearest } from 'dunelight'
import { ask, type AskFlags } from './commands/ask.js'
import { check, type CheckFlags } from './commands/check.js'
import { compare, type CompareFlags } from './commands/compare.js'
import { examples, type ExamplesFlags } from './commands/examples.js'
import { examplesAdd, type ExamplesAddFlags } from './commands/examples-add.js'
import { graph, type GraphFlags } from './commands/graph.js'
import { list } from './commands/list.js'
import { render, type RenderFlags } from './commands/render.js'
import { schema, variables, type SchemaFlags } from './commands/schema.js'
import { schemas, type SchemasFlags } from './commands/schemas.js'
import { read, type ReadFlags } from './commands/read.js'
import { sample, type SampleFlags } from './commands/sample.js'
import { fit, type FitFlags } from './commands/fit.js'
import type { OpenFlags } from './commands/open.js'
import { pick, type PickFlags } from './commands/pick.js'
import { resume, runCommand, runs, type RunFlags } from './commands/run.js'
import { standInCommand, type StandInFlags } from './commands/stand-in.js'
import { types, type TypesFlags } from './commands/types.js'
import { show, type ShowFlags } from './commands/show.js'
import { WrongUse, type Surroundings } from './surroundings.js'

const LIBRARY = 'the library’s folder'
const JSON_FLAG = ['--json', 'as JSON, for programs'] as const

/** All commands with their options; `ended` hears the exit code of the one that ran. */
export function build(around: Surroundings, ended: (code: number) => void): Command {
  const program = new Command('dunelight')
    .description('Renders prompts from a library of texts, for one record or for a table.')
    .version('0.1.0', '--version', 'the version')
    .helpOption('-h, --help', 'this help')
    .helpCommand(false)
    .exitOverride()
    .configureOutput({ writeOut: (text) => around.stdout.write(text), writeErr: (text) => around.stderr.write(text) })
    .showSuggestionAfterError(true)
    .addHelpText(
      'after',
      '\nExample:\n  dunelight render demo/marram-house label/write --records demo/marram-house/data/objects.csv --take 3\n\nExit codes: 0 done, 1 problems in the library or the input, 2 wrong use, 3 done but some records were set aside.',
    )
  const command = (name: string, about: string, example: string) =>
    program
      .command(name)
      .description(about)
      .argument('<library>', LIBRARY)
      .addHelpText('after', `\nExample:\n  dunelight ${example}`)
      .exitOverride()

  command('check', 'Says all that is wrong with a library.', 'check demo/marram-house')
    .option('--touched <file>', 'which prompts a change of this file changes, and how many of their records')
    .option('--was <file>', 'the touched file as it was before; else what the last commit holds')
    .option('--records <file>', 'a table to render before and after; else those of the batches')
    .option(...JSON_FLAG)
    .action(async (folder: string, flags: CheckFlags) => ended(await check(around, folder, flags)))
  command('list', 'Lists what a library holds.', 'list demo/marram-house')
    .option(...JSON_FLAG)
    .action(async (folder: string, flags: { json?: boolean }) => ended(await list(around, folder, flags)))
  command(
    'show',
    'Shows a prompt: what it takes, what it draws on, and with values where every stretch of it comes from.',
    'show demo/marram-house label/write --records demo/marram-house/data/objects.csv --record MH-0007',
  )
    .argument('<prompt>', 'its name')
    .option('--set <name=value>', 'a value; may be repeated', collect)
    .option('--records <file>', 'a table to take the record from')
    .option('--record <id>', 'the record’s id or row number')
    .option(...JSON_FLAG)
    .action(async (folder: string, prompt: string, flags: ShowFlags) => ended(await show(around, folder, prompt, flags)))
  tableOptions(
    command(
      'render',
      'Renders a prompt for one set of values or for every record of a table.',
      'render demo/marram-house label/write --records demo/marram-house/data/objects.csv --to labels.jsonl',
    ).argument('<prompt>', 'its name'),
  )
    .option('--set <name=value>', 'a value; may be repeated; item.title=Lamp sets a field', collect)
    .option('--record <id>', 'only the record of this id')
    .addOption(new Option('--take <n>', 'end after so many renderings').argParser(whole))
    .option('--to <file>', 'write there instead of stdout')
    .option('--overwrite', 'write over a file that exists')
    .option('--aside <file>', 'write what was set aside there, as JSON Lines')
    .addOption(new Option('--seed <n>', 'decides between the wordings of vary').argParser(whole))
    .option('--locale <tag>', 'the language of numbers, dates and lists')
    .option('--wordings', 'render every wording of vary')
    .option(...JSON_FLAG)
    .action(async (folder: string, prompt: string, flags: RenderFlags) => ended(await render(around, folder, prompt, flags)))
  batchOptions(
    command(
      'fit',
      'Shows how a table’s columns become a prompt’s variables, before anything runs.',
      'fit demo/marram-house label/write --records demo/marram-house/data/objects.csv',
    ).argument('<what>', 'a batch’s name, or a prompt’s with --records'),
  )
    .option('--set <name=value>', 'a value that is the same for all records; may be repeated', collect)
    .option('--locale <tag>', 'the language in which numbers are written')
    .option(...JSON_FLAG)
    .action(async (folder: string, what: string, flags: FitFlags) => ended(await fit(around, folder, what, flags)))
  batchOptions(
    command(
      'run',
      'Runs a batch into a folder of its own: the output, what was set aside and why, and a report.',
      'run demo/marram-house tonight',
    ).argument('<what>', 'a batch’s name, or a prompt’s with --records'),
  )
    .option('--set <name=value>', 'a value that is the same for all records; may be repeated', collect)
    .addOption(new Option('--take <n>', 'end after so many renderings').argParser(whole))
    .addOption(new Option('--sample <n>', 'only so many records, drawn by lot').argParser(whole))
    .addOption(new Option('--seed <n>', 'decides between the wordings of vary, and what is drawn').argParser(whole))
    .option('--to <file>', 'hand the output on to there: .jsonl, .csv, .tsv, .xlsx, .parquet, out/{item.number}.md, or - for stdout')
    .option('--envelope <name>', 'the form of a line: an envelope of the library')
    .option('--tokens', 'count the tokens of every prompt')
    .option('--budget <tokens>', 'do not begin if the prompts have more tokens: 500k, 2m')
    .option('--locale <tag>', 'the language of numbers, dates and lists')
    .addOption(new Option('--workers <n>', 'render on so many threads, at most 64').argParser(threads))
    .option('--bare', 'lines of the record and its turns alone, without fingerprints')
    .option('--runs <folder>', 'make the run’s folder there instead of in the library')
    .option('--overwrite', 'write over an output that no run has made')
    .action(async (folder: string, what: string, flags: RunFlags) => ended(await runCommand(around, folder, what, flags)))
  batchOptions(
    command(
      'ask',
      'Asks a model: for one record, its reply on stdout; for a table, the answers beside the records in a run’s folder.',
      'ask demo/marram-house survey/grade --records demo/marram-house/data/objects.csv --take 20',
    ).argument('<what>', 'a prompt’s name, or a batch’s'),
  )
    .option('--set <name=value>', 'a value; may be repeated', collect)
    .option('--record <id>', 'only the record of this id, its reply on stdout')
    .option('--model <name>', 'one of models.yaml, or stand-in')
    .addOption(new Option('--take <n>', 'end after so many records').argParser(whole))
    .addOption(new Option('--again <n>', 'how often a reply that does not fit is asked for again; else 2').argParser(whole))
    .addOption(new Option('--at-once <n>', 'requests under way at a time; else what the model’s description says').argParser(fromOne))
    .addOption(new Option('--sample <n>', 'only so many records, drawn by lot').argParser(whole))
    .option('--tokens', 'count the tokens of every prompt, and hold them against those that were used')
    .option('--budget <tokens>', 'do not begin if the prompts have more tokens: 500k, 2m')
    .addOption(new Option('--answers <n>', 'so many answers for one record, to pick from').argParser(fromOne))
    .option('--fresh', 'ask anew what was answered before; the earlier answers stay')
    .option('--to <file>', 'hand the answers on to there: .jsonl, .csv or .tsv')
    .addOption(new Option('--seed <n>', 'decides between the wordings of vary, and what the stand-in says').argParser(whole))
    .option('--misbehave <shares>', 'how the stand-in misbehaves: busy=10%,empty=5%')
    .option('--locale <tag>', 'the language of numbers, dates and lists')
    .option('--runs <folder>', 'make the run’s folder there instead of in the library')
    .option('--overwrite', 'write over an output that no run has made')
    .action(async (folder: string, what: string, flags: AskFlags) => ended(await ask(around, folder, what, flags)))
  batchOptions(
    command(
      'compare',
      'Asks two things about the same records, and holds the answers against each other.',
      'compare demo/marram-house survey/grade --other-persona night-watch --records demo/marram-house/data/objects.csv --take 40',
    ).argument('<prompt>', 'the name of the one'),
  )
    .option('--other <prompt>', 'the other is this prompt')
    .option('--other-model <name>', 'the other is asked of this model')
    .option('--other-persona <name>', 'the other speaks as this persona')
    .option('--other-set <name=value>', 'a value of the other; may be repeated', collect)
    .option('--other-setting <name=value>', 'a setting of the other, such as temperature=0.2; may be repeated', collect)
    .option('--was <folder>', 'the other is of this library: an earlier version')
    .option('--model <name>', 'the model of both')
    .option('--set <name=value>', 'a value of both; may be repeated', collect)
    .addOption(new Option('--take <n>', 'end after so many records').argParser(whole))
    .addOption(new Option('--seed <n>', 'decides between the wordings of vary, and what the stand-in says').argParser(whole))
    .addOption(new Option('--at-once <n>', 'requests under way at a time').argParser(fromOne))
    .option('--to <file>', 'write a report there: .html or .md')
    .option('--runs <folder>', 'make the runs’ folders there instead of in the library')
    .option('--overwrite', 'write over a file that exists')
    .action(async (folder: string, prompt: string, flags: CompareFlags) => ended(await compare(around, folder, prompt, flags)))
  command(
    'open',
    'Opens the workbench on a library: records, finished prompts and their source on one page, on this machine alone.',
    'open demo/marram-house',
  )
    .addOption(new Option('--port <n>', 'where it listens; else 7118 or a free one').argParser(whole))
    .option('--no-browser', 'only print the address')
    // What serves is loaded only where something is served: looking at a library stays quick.
    .action(async (folder: string, flags: OpenFlags) => ended(await (await import('./commands/open.js')).open(around, folder, flags)))
  command('stand-in', 'Serves a model that makes everything up, on this machine alone.', 'stand-in demo/marram-house')
    .addOption(new Option('--port <n>', 'where it listens; else 7117, 0 for a free one').argParser(whole))
    .addOption(new Option('--seed <n>', 'another seed, other answers').argParser(whole))
    .addOption(new Option('--takes <ms>', 'milliseconds that an answer takes').argParser(whole))
    .option(
      '--misbehave <shares>',
      'busy=10%,slow=5%: slow, busy, broken, dropped, cut-off, in-prose, passage-missing, wrong-label, figure, refusal, empty, endless',
    )
    .action(async (folder: string, flags: StandInFlags) => ended(await standInCommand(around, folder, flags)))
  program
    .command('pick')
    .description('Picks from the answers of a run: keeps, rejects, asks again, and hands on what is settled.')
    .argument('<run>', 'the run’s folder')
    .option('--record <id>', 'show the answers of this record, whole')
    .option('--keep <id>', 'keep the last answer of this record, or ID=2 its second; may be repeated', collect)
    .option('--reject <id>', 'keep none of its answers; may be repeated', collect)
    .option('--again <id>', 'ask for it again, or for a part of its answer alone: ID:PART; may be repeated', collect)
    .option('--keep-rest', 'keep the last answer of every record that is open')
    .option('--again-rest', 'ask again for every record that is not kept')
    .option('--to <file>', 'write the kept answers beside their rows: .csv, .tsv or .jsonl')
    .option('--cases <set>', 'make cases of this example set of them')
    .option('--overwrite', 'write over a file that exists')
    .option(...JSON_FLAG)
    .addHelpText(
      'after',
      '\nExample:\n  dunelight ask demo/marram-house label/write --records demo/marram-house/data/objects.csv --record MH-0007 --answers 5\n  dunelight pick demo/marram-house/runs/label-write-1 --keep MH-0007=2',
    )
    .exitOverride()
    .action(async (folder: string, flags: PickFlags) => ended(await pick(around, folder, flags)))
  command('runs', 'Lists the runs of a library.', 'runs demo/marram-house')
    .option('--runs <folder>', 'where their folders are')
    .option(...JSON_FLAG)
    .action(async (folder: string, flags: { json?: boolean; runs?: string }) => ended(await runs(around, folder, flags)))
  program
    .command('resume')
    .description('Carries on a run that was interrupted or broke off, as if nothing had happened.')
    .argument('<run>', 'the run’s folder')
    .option('--overwrite', 'write over an output that no run has made')
    .addHelpText('after', '\nExample:\n  dunelight resume demo/marram-house/runs/tonight-1')
    .exitOverride()
    .action(async (folder: string, flags: { overwrite?: boolean }) => ended(await resume(around, folder, flags)))
  command(
    'read',
    'Reads a file of replies, and puts the answers beside the records that they answer.',
    'read demo/marram-house survey/grade --replies replies.jsonl --records demo/marram-house/data/objects.csv --to graded.csv',
  )
    .argument('<prompt>', 'its name')
    .requiredOption('--replies <file>', 'a table (.csv, .tsv, .jsonl, .json, .yaml) with a column "reply", and "record" for the id')
    .requiredOption('--records <file>', 'the table that was asked about')
    .option('--to <file>', 'write the table there instead of stdout: .csv, .tsv or .jsonl')
    .option('--route <column>', 'a file for each label of this column of the answer')
    .option('--aside <file>', 'write what was set aside there, as JSON Lines')
    .option('--documents <folder>', 'write finished documents there, a file for each record')
    .option('--as <kinds>', 'as md, html or docx; several with commas')
    .option('--strict', 'refuse replies that have to be repaired')
    .option('--answered', 'pass over records that have no reply')
    .option('--set <name=value>', 'a value that is the same for all records; may be repeated', collect)
    .option('--locale <tag>', 'how the prompt was written: a language tag')
    .option('--overwrite', 'write over files that exist')
    .option('--json', 'the summary as JSON')
    .action(async (folder: string, prompt: string, flags: ReadFlags) => ended(await read(around, folder, prompt, flags)))
  command(
    'sample',
    'Makes up replies to a prompt, for tests of what reads them.',
    'sample demo/marram-house survey/grade --seed 7 --as captioned',
  )
    .argument('<prompt>', 'its name')
    .addOption(new Option('--count <n>', 'so many, as JSON Lines').argParser(whole))
    .addOption(new Option('--seed <n>', 'another seed, another reply').argParser(whole))
    .option('--as <way>', 'other than asked in this way')
    .option('--ways', 'list the ways')
    .option('--set <name=value>', 'a value, where the form depends on it; may be repeated', collect)
    .option('--records <file>', 'a table to take the record from')
    .option('--record <id>', 'the record’s id or row number')
    .action(async (folder: string, prompt: string, flags: SampleFlags) => ended(await sample(around, folder, prompt, flags)))
  command('graph', 'Shows what uses what in a library, both ways, or draws it.', 'graph demo/marram-house --of house/style')
    .option('--of <name>', 'only what this draws on, and what draws on it')
    .option('--to <file>', 'draw it there: FILE.svg or FILE.html')
    .option('--overwrite', 'write over a file that exists')
    .option(...JSON_FLAG)
    .action(async (folder: string, flags: GraphFlags) => ended(await graph(around, folder, flags)))
  const set = command(
    'examples',
    'Shows an example set at a glance, what is picked from it for a record, or how far likeness alone gets.',
    'examples demo/marram-house condition-notes --for MH-0008 --records demo/marram-house/data/objects.csv',
  )
    .argument('<set>', 'its name')
    .option('--for <id>', 'the cases that would be picked for this record, and why')
    .option('--records <file>', 'the table that holds it')
    .option('--prompt <name>', 'the prompt that asks, where several use the set')
    .option('--set <name=value>', 'a value that is the same for all records; may be repeated', collect)
    .option('--leave-one-out', 'a table: each case labelled by the cases nearest to it')
    .option('--to <file>', 'write that table there, as a page')
    .option('--overwrite', 'write over a file that exists')
    .option(...JSON_FLAG)
    .action(async (folder: string, name: string, flags: ExamplesFlags) => ended(await examples(around, folder, name, flags)))
  set
    .command('add')
    .description('Makes cases of the rows of a finished table; rows that break the set’s rules are refused.')
    .argument('<library>', LIBRARY)
    .argument('<set>', 'its name')
    .requiredOption('--from <file>', 'the table: .csv, .tsv, .jsonl, .json or .yaml')
    .option('--keep <condition>', 'only rows that it holds for, such as: grade is "treat" and checked')
    .option('--dry-run', 'only say what would be added')
    .addHelpText(
      'after',
      '\nExample:\n  dunelight examples add demo/marram-house condition-notes --from corrected.csv --keep \'checked is "yes"\'',
    )
    .exitOverride()
    .action(async (folder: string, name: string, flags: ExamplesAddFlags) => ended(await examplesAdd(around, folder, name, flags)))
  command('types', 'Writes the types of a library’s prompts for TypeScript.', 'types demo/marram-house --to src/prompts.d.ts')
    .option('--to <file>', 'write there instead of stdout')
    .option('--overwrite', 'write over a file that exists')
    .action(async (folder: string, flags: TypesFlags) => ended(await types(around, folder, flags)))
  command('schema', 'Prints the variables of a prompt as a JSON Schema (2020-12).', 'schema demo/marram-house label/write')
    .argument('<prompt>', 'its name')
    .option('--marks', 'keep what JSON Schema has no words for under x-dunelight')
    .option('--answer', 'what its replies are read as, instead')
    .option('--strict', 'with --answer: everything required, null where it may be missing')
    .option('--call', 'with --answer: as a function with parameters')
    .action(async (folder: string, prompt: string, flags: SchemaFlags) => ended(await schema(around, folder, prompt, flags)))
  program
    .command('schemas')
    .description('Prints the JSON Schemas of a library’s own files: editors complete and check by them.')
    .option('--to <folder>', 'write one file for each kind into it')
    .option('--overwrite', 'write over files that exist')
    .addHelpText('after', '\nExample:\n  dunelight schemas --to schemas')
    .exitOverride()
    .action(async (flags: SchemasFlags) => ended(await schemas(around, flags)))
  program
    .command('variables')
    .description('Prints the properties of a JSON Schema as variables of a library’s file.')
    .argument('<schema>', 'a JSON file')
    .addHelpText('after', '\nExample:\n  dunelight variables order.schema.json')
    .exitOverride()
    .action(async (file: string) => ended(await variables(around, file)))
  program.on('command:*', ([name = '']: string[]) => {
    const names = program.commands.map((one) => one.name())
    const near = nearest(name, names)
    throw new WrongUse(`there is no command "${name}"`, near ? `did you mean "${near}"?` : `commands: ${names.join(', ')}`)
  })
  return program
}

/** What `fit` and `run` can say of a table, over a batch's file or in place of one. */
function batchOptions(command: Command): Command {
  return tableOptions(command)
    .option('--as <name>', 'the record variable that a row is')
    .option('--join <table>', '"data/rooms.json as room where item.room is room.code", from the library; may be repeated', collect)
    .option('--keep <condition>', 'only records that it holds for, such as: item.status is "on display"')
    .option('--column <variable=heading>', 'the column that gives a variable; may be repeated', collect)
    .option('--name <text>', 'what a record is called, such as {item.number}')
}

function tableOptions(command: Command): Command {
  return command
    .option('--records <file>', 'a table: .csv, .tsv, .jsonl, .json, .yaml, .xlsx, .parquet, .sqlite, or - for stdin')
    .option('--format <name>', 'what it is, where its ending does not say')
    .option('--sheet <name>', 'the sheet of a spreadsheet')
    .option('--query <sql>', 'what is asked of a database')
}

function collect(value: string, before: string[] = []): string[] {
  return [...before, value]
}

function fromOne(value: string): number {
  const number = whole(value)
  if (number === 0) throw new WrongUse('nothing would ever be asked with 0 at a time', 'write --at-once 1 or more')
  return number
}

/** More threads than that only take memory from each other. */
function threads(text: string): number {
  const count = whole(text)
  if (count > 64) throw new WrongUse(`${count} threads are too many`, 'at most 64')
  return count
}

function whole(value: string): number {
  const number = Number(value)
  if (!/^\d+$/.test(value)) throw new WrongUse(`"${value}" is no whole number`)
  return number
}
