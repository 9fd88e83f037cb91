import { Option, type Command } from 'commander'
import { WrongUse, type CommandContext } from './ui/context.js'

/** The parts of the help page, in their order. */
export const GROUPS = ['Write', 'Render', 'Ask', 'Runs', 'Export'] as const

/** An argument: its name in help, and what it is. */
export type Argument = readonly [name: string, about: string]
/** An option: its flags in help, what it does, and how its value is read. */
export type Flag =
  | readonly [flags: string, about: string]
  | readonly [flags: string, about: string, parse: (value: string, before: never) => unknown]
  | readonly [flags: string, about: string, parse: undefined, required: true]

/** A command: its place in the help, its arguments and options, and what it does. Each has a file of its own, with examples that work. */
interface Definition<A extends readonly Argument[], F> {
  /** Two words for a command of a command: `examples add`. */
  readonly name: string
  readonly group: (typeof GROUPS)[number]
  readonly about: string
  readonly arguments: A
  readonly options: readonly Flag[]
  /** What stands after `dunelight` in examples. */
  readonly examples: readonly string[]
  /** Gives the exit code. Data goes to stdout, everything said about it to stderr. */
  readonly run: (context: CommandContext, args: { readonly [K in keyof A]: string }, flags: F) => Promise<number>
}

/** A command whose arguments and options have been read by commander, which checks them. */
export type CommandFile = Definition<readonly Argument[], unknown>

export function defineCommand<const A extends readonly Argument[], F>(command: Definition<A, F>): CommandFile {
  return command as unknown as CommandFile
}

/** Adds a command to the program, or to the command that its first word names. */
export function addCommand(
  program: Command,
  { name, group, about, arguments: args, options, examples, run }: CommandFile,
  context: CommandContext,
  ended: (code: number) => void,
): void {
  const [last = name, parent] = name.split(' ').reverse()
  const command = (program.commands.find((known) => known.name() === parent) ?? program)
    .command(last)
    .helpGroup(`${group}:`)
    .description(about)
    .exitOverride()
    .addHelpText(
      'after',
      `\n${examples.length > 1 ? 'Examples' : 'Example'}:\n${examples.map((example) => `  dunelight ${example}`).join('\n')}`,
    )
  for (const [argument, what] of args) command.argument(argument, what)
  for (const [flags, what, parse, required] of options) {
    const option = new Option(flags, what)
    if (parse) option.argParser(parse as (value: string, before: unknown) => unknown)
    if (required) option.makeOptionMandatory()
    command.addOption(option)
  }
  command.action(async (...given: unknown[]) => {
    const values = given.slice(0, args.length) as string[]
    ended(await run(context, values, given[args.length]))
  })
}

export const LIBRARY: Argument = ['<library>', 'the library’s folder']
export const PROMPT: Argument = ['<prompt>', 'its name']
export const BATCH: Argument = ['<what>', 'a batch’s name, or a prompt’s with --records']
export const RUN: Argument = ['<run>', 'the run’s folder']

export const JSON_FLAG: Flag = ['--json', 'as JSON, for programs']
export const OVERWRITE: Flag = ['--overwrite', 'write over a file that exists']
export const LOCALE: Flag = ['--locale <tag>', 'the language of numbers, dates and lists']
export const RUNS_FOLDER: Flag = ['--runs <folder>', 'make the run’s folder there instead of in the library']
export const OVERWRITE_FOREIGN: Flag = ['--overwrite', 'write over an output that no run has made']

export const SET_FOR_ALL: Flag = ['--set <name=value>', 'a value that is the same for all records; may be repeated', list]
export const TAKE: Flag = ['--take <n>', 'end after so many records that fit', whole]
export const SAMPLE: Flag = ['--sample <n>', 'only so many records, chosen at random', whole]
export const BUDGET: Flag = ['--budget <tokens>', 'do not begin if the prompts have more tokens: 500k, 2m']

/** What names one record of a table. */
export const RECORD_FLAGS: readonly Flag[] = [
  ['--records <file>', 'a table to take the record from'],
  ['--record <id>', 'the record’s id or row number'],
]

/** What names a table. */
export const TABLE_FLAGS: readonly Flag[] = [
  ['--records <file>', 'a table: .csv, .tsv, .jsonl, .json, .yaml, .xlsx, .parquet, .sqlite, or - for stdin'],
  ['--format <name>', 'what it is, if its ending does not say'],
  ['--sheet <name>', 'the sheet of a spreadsheet'],
  ['--query <sql>', 'what is asked of a database'],
]

/** What takes the place of a batch’s own keys, or of a batch. */
export const BATCH_FLAGS: readonly Flag[] = [
  ...TABLE_FLAGS,
  ['--as <name>', 'the record variable that a row is'],
  ['--join <table>', '"data/rooms.json as room where item.room is room.code", from the library; may be repeated', list],
  ['--keep <condition>', 'only records that it holds for, such as: item.status is "on display"'],
  ['--column <variable=heading>', 'the column that gives a variable; may be repeated', list],
  ['--name <text>', 'what a record is called, such as {item.number}'],
]

/** The values of an option that may be repeated. */
export function list(value: string, before: readonly string[] = []): string[] {
  return [...before, value]
}

/** A whole number, from 0. */
export function whole(value: string): number {
  if (!/^\d+$/.test(value)) throw new WrongUse(`"${value}" is no whole number`)
  return Number(value)
}

/** A whole number from 1. */
export function fromOne(value: string): number {
  const number = whole(value)
  if (number === 0) throw new WrongUse('0 is too few', 'give 1 or more')
  return number
}
