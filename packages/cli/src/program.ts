import { Command } from 'commander'
import { nearest } from 'dunelight/host'
import { addCommand } from './define-command.js'
import { RENAMED_COMMANDS } from './renamed.js'
import { COMMANDS } from './commands/index.js'
import { WrongUse, type CommandContext } from './ui/context.js'

const EXIT_CODES =
  'Exit codes: 0 done, 1 problems in the library or the input, 2 wrong use, 3 done but some records were rejected, 130 interrupted.'

/** The program with all commands. `ended` is called with the exit code of the command that ran. */
export function build(context: CommandContext, ended: (code: number) => void): Command {
  const program = new Command('dunelight')
    .description('Write, render, ask and review prompts from a library of files.')
    .version('0.1.0', '--version', 'print the version')
    .helpOption('-h, --help', 'print this help')
    .helpCommand(false)
    .exitOverride()
    .configureOutput({ writeOut: (text) => context.stdout.write(text), writeErr: (text) => context.stderr.write(text) })
    .showSuggestionAfterError(true)
    .addHelpText(
      'after',
      `\nExample:\n  dunelight render demo/marram-house label/write --records demo/marram-house/data/objects.csv --take 3\n\n${EXIT_CODES}`,
    )
  for (const command of COMMANDS) addCommand(program, command, context, ended)
  program.on('command:*', ([name = '']: string[]) => {
    const names = program.commands.map((known) => known.name())
    const renamed = RENAMED_COMMANDS[name]
    if (renamed !== undefined) throw new WrongUse(`the command "${name}" is now "${renamed}"`)
    const near = nearest(name, names)
    throw new WrongUse(`unknown command "${name}"`, near ? `did you mean "${near}"?` : `commands: ${names.join(', ')}`)
  })
  return program
}
