import { mkdtemp } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { CommanderError } from 'commander'
import { printProblem, ProblemError } from 'dunelight'
import { defined } from 'dunelight/host'
import { reason, WriteFault, writeNew } from '@dunelight/node/host'
import { build } from './program.js'
import { refuseRenamedOptions } from './renamed.js'
import { guarded } from './ui/streams.js'
import { colorsFor, EXIT, paintFor, WrongUse, type CommandContext } from './ui/context.js'

export type { CommandContext } from './ui/context.js'

/** Runs one command; returns its exit code. Data goes to stdout, every message to stderr. */
export async function run(values: CommandContext): Promise<number> {
  const context = guarded(values)
  let code: number = EXIT.done
  const program = build(context, (number) => (code = number))
  // `dunelight … | head` closes the pipe: what is written afterwards is lost, and that is not an error.
  const broken = new Promise<never>((_, reject) => {
    context.stdout.on('error', reject)
    context.stderr.on('error', () => undefined)
  })
  broken.catch(() => undefined)
  try {
    refuseRenamedOptions(context.argv)
    await Promise.race([program.parseAsync(context.argv, { from: 'user' }), broken])
    await written(context.stdout)
    return code
  } catch (fault) {
    return await ended(fault, context)
  } finally {
    await written(context.stderr).catch(() => undefined)
  }
}

/** Waits until all that was written has been taken. */
function written(stream: CommandContext['stdout']): Promise<void> {
  return new Promise((resolve, reject) => stream.write('', (fault) => (fault ? reject(fault) : resolve())))
}

/** What a process does with an exception that no command was there to catch. */
export function runFailed(fault: unknown, context: CommandContext): Promise<number> {
  return ended(fault, guarded(context))
}

/** The exit code for what ended a command, after the message is written. */
async function ended(fault: unknown, context: CommandContext): Promise<number> {
  const { stderr } = context
  const c = colorsFor(stderr, context.env)
  const say = (message: string, help?: string) =>
    stderr.write(`${c.red('error')}: ${message}\n${help === undefined ? '' : `  ${c.bold('help')}: ${help}\n`}`)
  if (fault instanceof CommanderError) return fault.exitCode === 0 ? EXIT.done : EXIT.use
  if (fault instanceof WrongUse) {
    say(fault.message, fault.hint)
    return EXIT.use
  }
  if (fault instanceof ProblemError) {
    stderr.write(`${fault.problems.map((p) => printProblem(p, paintFor(c))).join('\n\n')}\n`)
    return EXIT.problems
  }
  if (codeOf(fault) === 'EPIPE') return EXIT.done
  if (fault instanceof WriteFault) say(fault.message)
  else if (isSystemFault(fault)) say(systemFault(fault))
  else {
    say(`this is a bug in dunelight: ${firstLine(fault)}`, `report it with ${await details(fault, context)}`)
  }
  return EXIT.problems
}

function codeOf(fault: unknown): unknown {
  return typeof fault === 'object' && fault !== null && 'code' in fault ? fault.code : undefined
}

type SystemFault = { readonly code: string; readonly syscall: string; readonly path?: string }

/** What the system refused: a file that is gone, a disk that is full. */
function isSystemFault(fault: unknown): fault is SystemFault {
  return typeof codeOf(fault) === 'string' && typeof fault === 'object' && fault !== null && 'syscall' in fault
}

function systemFault(fault: SystemFault): string {
  const writes = /write|open.*w|rename|mkdir|unlink|truncate|fsync|copyfile|link/.test(fault.syscall)
  const what = fault.path ?? (fault.syscall === 'write' ? 'the output' : 'a file')
  return `cannot ${writes ? 'write' : 'read'} ${what}: ${reason(fault)}`
}

function firstLine(fault: unknown): string {
  return defined(
    (fault instanceof Error ? fault.message : String(fault)).replace(/^this is a bug in dunelight: /, '').split('\n')[0],
  ).slice(0, 200)
}

/** Where all that is known of an exception was written. */
async function details(fault: unknown, { argv }: CommandContext): Promise<string> {
  const stack = fault instanceof Error ? (fault.stack ?? fault.message) : String(fault)
  const path = join(await mkdtemp(join(tmpdir(), 'dunelight-error-')), 'details.txt')
  await writeNew(path, `dunelight ${argv.join(' ')}\nnode ${process.version}, ${process.platform}\n\n${stack}\n`)
  return path
}
