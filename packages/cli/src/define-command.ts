import { Writable } from 'node:stream'
import { Option, type Command } from 'commander'
import { isLibrary, libraryAround } from './flags/library-around.js'
import { WrongUse, type CommandContext } from './ui/context.js'

/** The groups of commands in the help, in this order. */
export const GROUPS = ['Write', 'Render', 'Ask', 'Runs', 'Production', 'Export'] as const

/** An argument: its name in help, and what it is. */
export type Argument = readonly [name: string, about: string]
/** An option: its flags in help, what it does, and how its value is read. */
export type Flag =
  | readonly [flags: string, about: string]
  | readonly [flags: string, about: string, parse: (value: string, before: never) => unknown]
  | readonly [flags: string, about: string, parse: undefined, required: true]

/** A command with its help. Each command has its own file; the tests run its examples. */
interface Definition<A extends readonly Argument[], F> {
  /** A subcommand has two words: `examples add`. */
  readonly name: string
  readonly group: (typeof GROUPS)[number]
  readonly about: string
  readonly arguments: A
  readonly options: readonly Flag[]
  /** The words after `dunelight`. */
  readonly examples: readonly string[]
  /** Returns the exit code. Writes data to stdout and messages to stderr. */
  readonly run: (context: CommandContext, args: ArgumentsOf<A>, flags: F) => Promise<number>
}

/** The values of arguments: a text each, which may be missing in square brackets, and a list for a name that ends in dots. */
type ArgumentsOf<A extends readonly Argument[]> = {
  readonly [K in keyof A]: A[K] extends readonly [`[${string}...]`, string]
    ? readonly string[] | undefined
    : A[K] extends readonly [`[${string}]`, string]
      ? string | undefined
      : string
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
  // The library may be left out: then it is the one around the current folder.
  const mayLackLibrary = args[0] === LIBRARY
  for (const [argument, what] of args) command.argument(mayLackLibrary ? `[${argument.slice(1, -1)}]` : argument, what)
  for (const [flags, what, parse, required] of options) {
    const option = new Option(flags, what)
    if (parse) option.argParser(parse as (value: string, before: unknown) => unknown)
    if (required) option.makeOptionMandatory()
    command.addOption(option)
    if (flags.startsWith('--set ')) command.addOption(new Option(...SET_TEXT).argParser(list))
  }
  command.action(async (...passed: unknown[]) => {
    const given = passed.slice(0, args.length).flatMap((value) => (value === undefined ? [] : (value as string | string[])))
    const texts = mayLackLibrary && (await lacksLibrary(args, given)) ? [await libraryAround(), ...given] : given
    const values = args.flatMap(([argument], i): unknown[] => (argument.includes('...') ? [texts.slice(i)] : texts.slice(i, i + 1)))
    const lacking = args.slice(values.length).find(([argument]) => argument.startsWith('<'))
    if (lacking) throw new WrongUse(`missing argument ${lacking[0]}: ${lacking[1]}`, `dunelight ${name} --help shows how it is used`)
    const flags = withTexts(passed[args.length] as SetFlags & DetailFlags)
    ended(await run(inDetail(context, flags), values as string[], flags))
  })
}

/** Whether the library was left out: by the number of arguments, or where some may be missing, by what the first one is. */
async function lacksLibrary(args: readonly Argument[], given: readonly string[]): Promise<boolean> {
  const optional = args.slice(1).filter(([argument]) => argument.startsWith('['))
  if (optional.length === 0) return given.length === args.length - 1
  const isFull = given.length === args.length && !optional.some(([argument]) => argument.includes('...'))
  return !isFull && !(given[0] !== undefined && (await isLibrary(given[0])))
}

interface DetailFlags {
  readonly quiet?: boolean
  readonly verbose?: boolean
}

/** With `--quiet` no message is written but what ends the command. */
function inDetail(context: CommandContext, { quiet = false, verbose = false }: DetailFlags): CommandContext {
  if (quiet && verbose) throw new WrongUse('--quiet and --verbose cannot be combined')
  if (quiet) return { ...context, stderr: new Writable({ write: (_, __, done) => done() }) }
  return verbose ? { ...context, isVerbose: true } : context
}

/** Every command with `--set` has it: `--set` takes a backslash as it is. */
const SET_TEXT = ['--set-text <name=value>', 'like --set, with \\n for a line break'] as const

interface SetFlags {
  readonly set?: readonly string[]
  readonly setText?: readonly string[]
}

function withTexts<F extends SetFlags>({ setText, ...flags }: F): Omit<F, 'setText'> {
  return setText ? { ...flags, set: [...(flags.set ?? []), ...setText.map((text) => text.replaceAll('\\n', '\n'))] } : flags
}

export const LIBRARY: Argument = ['<library>', 'the library’s folder']
export const PROMPT: Argument = ['<prompt>', 'the prompt’s name']
export const BATCH: Argument = ['<name>', 'a batch, or a prompt with --records']
export const RUN: Argument = ['<run>', 'the run’s folder']

export const JSON_FLAG: Flag = ['--json', 'print JSON, for programs']
/** How much is printed of what a command does. */
export const DETAIL_FLAGS: readonly Flag[] = [
  JSON_FLAG,
  ['--quiet', 'print no messages but errors'],
  ['--verbose', 'print every rejected record, unused column and retry'],
]
export const OVERWRITE: Flag = ['--overwrite', 'replace an existing file']
export const LOCALE: Flag = ['--locale <tag>', 'the language of numbers, dates and lists']
export const RUNS_FOLDER: Flag = ['--runs <folder>', 'the folder for run folders; default: runs/ in the library']
export const OVERWRITE_FOREIGN: Flag = ['--overwrite', 'replace an output file that was not made by a run']

export const SET_FOR_ALL: Flag = ['--set <name=value>', 'a value for all records; can be repeated', list]
export const TAKE: Flag = ['--take <n>', 'stop after this many accepted records', whole]
export const SAMPLE: Flag = ['--sample <n>', 'a random sample of this many records', whole]
/** What of an answer becomes rows and columns. */
export const FLATTEN: Flag = [
  '--flatten <path>',
  'one row for each item of a list of the answer, as in answer.rows; one column for each field of a record (repeatable)',
  list,
]
export const RAW_CELLS: Flag = ['--raw-cells', 'write cells that begin with = + - @ unchanged: a spreadsheet may run them as formulas']
export const BUDGET: Flag = ['--budget <tokens>', 'refuse to start if the prompts have more tokens: 500k, 2m']

/** What names one record of a table. */
export const RECORD_FLAGS: readonly Flag[] = [
  ['--records <file>', 'the table that has the record'],
  ['--record <id>', 'the record’s id or row number'],
]

/** What names a table. */
export const TABLE_FLAGS: readonly Flag[] = [
  ['--records <file>', 'a table: .csv, .tsv, .jsonl, .json, .yaml, .xlsx, .parquet, .sqlite, or - for stdin'],
  ['--format <name>', 'the table’s format, if the file name has no ending'],
  ['--sheet <name>', 'the sheet of an .xlsx file'],
  ['--query <sql>', 'the query for an SQLite file'],
  ['--encoding <name>', 'the encoding of a text that is not UTF-8: windows-1250, shift_jis, cp850 … (default: detected)'],
]

const AS: Flag = ['--as <name>', 'the record variable that receives the row']
const JOIN: Flag = [
  '--join <table>',
  '"data/rooms.json as room where item.room is room.code", a path in the library; can be repeated',
  list,
]
export const NAME: Flag = ['--name <text>', 'the record’s id, such as {item.number}']
const COLUMN: Flag = ['--column <variable=heading>', 'the column for a variable; can be repeated', list]

/** How a row becomes a record. */
export const SHAPE_FLAGS: readonly Flag[] = [AS, JOIN, COLUMN, NAME]

/** What takes the place of a batch’s own keys, or of a batch. */
export const BATCH_FLAGS: readonly Flag[] = [
  ...TABLE_FLAGS,
  AS,
  JOIN,
  ['--keep <condition>', 'only matching records, such as: item.status is "on display"'],
  COLUMN,
  NAME,
]

/** The values of an option that may be repeated. */
export function list(value: string, before: readonly string[] = []): string[] {
  return [...before, value]
}

/** A whole number, from 0. */
export function whole(value: string): number {
  if (!/^\d+$/.test(value)) throw new WrongUse(`"${value}" is not a whole number`)
  return Number(value)
}

/** A whole number from 1. */
export function fromOne(value: string): number {
  const number = whole(value)
  if (number === 0) throw new WrongUse('0 is below the minimum, 1')
  return number
}
