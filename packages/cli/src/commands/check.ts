import { printProblem, problemRecord } from 'dunelight'
import { openLibrary } from '@dunelight/node'
import { colorsFor, EXIT, paintFor, plural, type Surroundings } from '../surroundings.js'

/** Prints every problem of a library: they are this command's data. */
export async function check(around: Surroundings, folder: string, flags: { json?: boolean }): Promise<number> {
  const library = await openLibrary(folder)
  const { problems } = library
  if (flags.json) around.stdout.write(`${JSON.stringify({ sound: library.sound, problems: problems.map(problemRecord) }, null, 2)}\n`)
  else {
    const c = colorsFor(around.stdout, around.env)
    for (const p of problems) around.stdout.write(`${printProblem(p, paintFor(c))}\n\n`)
    const count = (severity: string) => problems.filter((p) => p.severity === severity).length
    const prompts = plural(library.promptNames().length, 'prompt')
    const summary = library.sound ? c.green('sound') : c.red('not sound')
    around.stdout.write(
      `${folder}: ${summary} · ${prompts} · ${plural(count('error'), 'error')} · ${plural(count('warning'), 'warning')}\n`,
    )
  }
  return library.sound ? EXIT.done : EXIT.problems
}
