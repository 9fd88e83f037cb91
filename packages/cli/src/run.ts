import { CommanderError } from 'commander'
import { printProblem, ProblemError } from 'dunelight'
import { build } from './program.js'
import { colorsFor, EXIT, paintFor, WrongUse, type Surroundings } from './surroundings.js'

export type { Surroundings } from './surroundings.js'

/** Runs one command; gives its exit code. Data goes to stdout, everything said about it to stderr. */
export async function run(around: Surroundings): Promise<number> {
  const c = colorsFor(around.stderr, around.env)
  let code: number = EXIT.done
  const program = build(around, (found) => (code = found))
  around.stdout.on('error', ignoreClosedPipe)
  try {
    await program.parseAsync(around.argv, { from: 'user' })
    return code
  } catch (fault) {
    if (fault instanceof CommanderError) return fault.exitCode === 0 ? EXIT.done : EXIT.use
    if (fault instanceof WrongUse) {
      around.stderr.write(`${c.red('error')}: ${fault.message}\n${fault.hint === undefined ? '' : `  ${c.bold('mend')}: ${fault.hint}\n`}`)
      return EXIT.use
    }
    if (fault instanceof ProblemError) {
      around.stderr.write(`${fault.problems.map((p) => printProblem(p, paintFor(c))).join('\n\n')}\n`)
      return EXIT.problems
    }
    if (isClosedPipe(fault)) return EXIT.done
    throw fault
  }
}

/** `dunelight … | head` closes the pipe: that ends the run, and is no fault. */
function ignoreClosedPipe(fault: Error): void {
  if (!isClosedPipe(fault)) throw fault
}

function isClosedPipe(fault: unknown): boolean {
  return typeof fault === 'object' && fault !== null && 'code' in fault && fault.code === 'EPIPE'
}
