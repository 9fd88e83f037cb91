import { defineCommand, type CommandFile } from '../define-command.js'
import { EXIT, WrongUse, type CommandContext } from '../ui/context.js'

const SHELLS = ['bash', 'zsh', 'fish'] as const
type Shell = (typeof SHELLS)[number]

/** A command as a shell completes it. */
interface Completed {
  readonly words: readonly string[]
  readonly about: string
  readonly options: readonly { readonly name: string; readonly about: string }[]
}

/** Prints a script for a shell; `commands` are those that it completes. */
export function completionCommand(commands: () => readonly CommandFile[]): CommandFile {
  return defineCommand({
    name: 'completion',
    group: 'Export',
    about: 'Print a script with which a shell completes commands and options.',
    arguments: [['<shell>', SHELLS.join(', ')]],
    options: [],
    examples: [
      'completion bash > ~/.local/share/bash-completion/completions/dunelight',
      'completion fish > ~/.config/fish/completions/dunelight.fish',
    ],
    run: (context, [shell]) => Promise.resolve(print(context, shell, commands())),
  })
}

function print({ stdout }: CommandContext, shell: string, commands: readonly CommandFile[]): number {
  const known = SHELLS.find((name) => name === shell)
  if (!known) throw new WrongUse(`unknown shell "${shell}"`, `shells: ${SHELLS.join(', ')}`)
  stdout.write(SCRIPTS[known](commands.map(completedOf)))
  return EXIT.done
}

function completedOf({ name, about, options }: CommandFile): Completed {
  const names = options.map(([flags, text]) => ({ name: flags.split(' ')[0] ?? '', about: text }))
  const texts = names.some((option) => option.name === '--set')
    ? [{ name: '--set-text', about: 'like --set, with \\n for a line break' }]
    : []
  return { words: name.split(' '), about, options: [...names, ...texts, { name: '--help', about: 'print help' }] }
}

const SCRIPTS: Readonly<Record<Shell, (commands: readonly Completed[]) => string>> = {
  bash: (commands) => `# dunelight: completion for bash
_dunelight() {
  local current="\${COMP_WORDS[COMP_CWORD]}" command="\${COMP_WORDS[1]}"
  if [ "$COMP_CWORD" -eq 1 ]; then
    COMPREPLY=($(compgen -W "${firstWords(commands).join(' ')}" -- "$current"))
    return
  fi
  local options=""
  case "$command" in
${byFirstWord(commands)
  .map(([word, options]) => `    ${word}) options="${options.join(' ')}" ;;`)
  .join('\n')}
  esac
  if [[ "$current" == -* ]]; then COMPREPLY=($(compgen -W "$options" -- "$current")); else COMPREPLY=($(compgen -f -- "$current")); fi
}
complete -o filenames -F _dunelight dunelight
`,
  zsh: (commands) => `#compdef dunelight
# dunelight: completion for zsh
_dunelight() {
  if (( CURRENT == 2 )); then
    local -a names=(
${uniqueFirst(commands)
  .map(({ words, about }) => `      ${quoted(`${words[0] ?? ''}:${about}`)}`)
  .join('\n')}
    )
    _describe 'command' names
    return
  fi
  local -a options
  case "$words[2]" in
${byFirstWord(commands)
  .map(([word, options]) => `    ${word}) options=(${options.join(' ')}) ;;`)
  .join('\n')}
  esac
  if [[ "$PREFIX" == -* ]]; then compadd -- $options; else _files; fi
}
compdef _dunelight dunelight
`,
  fish: (commands) =>
    [
      '# dunelight: completion for fish',
      ...uniqueFirst(commands).map(
        ({ words, about }) => `complete -c dunelight -n __fish_use_subcommand -f -a ${words[0] ?? ''} -d ${quoted(about)}`,
      ),
      ...commands.flatMap(({ words, options }) =>
        options.map(
          ({ name, about }) =>
            `complete -c dunelight -n '__fish_seen_subcommand_from ${words[0] ?? ''}' -l ${name.slice(2)} -d ${quoted(about)}`,
        ),
      ),
      '',
    ].join('\n'),
}

function firstWords(commands: readonly Completed[]): string[] {
  return [...new Set(commands.map(({ words }) => words[0] ?? ''))]
}

function uniqueFirst(commands: readonly Completed[]): Completed[] {
  return commands.filter(({ words }, i) => commands.findIndex((other) => other.words[0] === words[0]) === i)
}

/** The options of a command and of those under it. */
function byFirstWord(commands: readonly Completed[]): [word: string, options: readonly string[]][] {
  return firstWords(commands).map((word) => [
    word,
    [...new Set(commands.filter(({ words }) => words[0] === word).flatMap(({ options }) => options.map(({ name }) => name)))],
  ])
}

/** A text in single quotes, as all three shells read it. */
function quoted(text: string): string {
  return `'${text.replaceAll("'", '’')}'`
}
