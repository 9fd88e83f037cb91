import { existsSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { copyLibrary } from '@dunelight/node/host'
import { defineCommand } from '../define-command.js'
import { colorsFor, EXIT, plural, WrongUse, type CommandContext } from '../ui/context.js'

/** The library that a new one begins as: it stands beside the command. */
const TEMPLATE = ['../template', '../../template']
  .map((path) => fileURLToPath(new URL(path, import.meta.url)))
  .find((path) => existsSync(path))

export const newCommand = defineCommand({
  name: 'new',
  group: 'Write',
  about: 'Make a small library to start from: two prompts with what they use, two batches and a table of 12 rows.',
  arguments: [['<folder>', 'the folder to make']],
  options: [],
  examples: ['new my-prompts'],
  run: newLibrary,
})

async function newLibrary({ stdout, stderr, env }: CommandContext, [folder]: readonly [string]): Promise<number> {
  if (TEMPLATE === undefined) throw new WrongUse('the files of a new library are not installed', 'install the command again')
  const files = await copyLibrary(TEMPLATE, folder)
  const c = colorsFor(stderr, env)
  stdout.write(files.map((path) => `${folder.replace(/\/+$/, '')}/${path}\n`).join(''))
  stderr.write(`${plural(files.length, 'file')} → ${folder}\n\n`)
  const next = [
    ['show', 'cards --record H-003', 'what a model would be sent for one record'],
    ['run', 'cards', 'the prompts of all records, as a file'],
    ['ask', 'urgent', 'answers, by the built-in mock model until models.yaml names one'],
  ]
  for (const [command = '', rest = '', about = ''] of next) {
    const [name = '', ...options] = rest.split(' ')
    stderr.write(`  dunelight ${command} ${folder} ${[name, ...options].join(' ')}\n    ${c.dim(about)}\n`)
  }
  return EXIT.done
}
