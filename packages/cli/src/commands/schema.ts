import { readFile } from 'node:fs/promises'
import { printProblem, problem, ProblemError, schemaOf, variablesFromSchema, type JsonSchema, type Prompt } from 'dunelight'
import { reason } from '@dunelight/node'
import { openToLook } from '../open.js'
import { stringify } from 'yaml'
import { colorsFor, EXIT, paintFor, WrongUse, type Surroundings } from '../surroundings.js'

export interface SchemaFlags {
  readonly marks?: boolean
  readonly answer?: boolean
  readonly strict?: boolean
  readonly call?: boolean
}

/** The variables of a prompt as a JSON Schema, or what its replies are read as. */
export async function schema(around: Surroundings, folder: string, name: string, flags: SchemaFlags): Promise<number> {
  const prompt = (await openToLook(folder)).prompt(name)
  if (flags.answer) return answerSchema(around, prompt, flags)
  for (const flag of ['strict', 'call'] as const) if (flags[flag]) throw new WrongUse(`--${flag} speaks of the answer`, 'add --answer')
  around.stdout.write(`${JSON.stringify(schemaOf(prompt.variables, prompt.title, { marks: flags.marks ?? false }), null, 2)}\n`)
  return EXIT.done
}

function answerSchema(around: Surroundings, prompt: Prompt, { strict = false, call }: SchemaFlags): number {
  const schemas = prompt.outputs.map((output) => {
    const form = prompt.outline(output)!
    return call ? form.call({ strict }) : form.schema({ strict })
  })
  if (schemas.length === 0) throw new WrongUse(`"${prompt.name}" has no output`)
  around.stdout.write(`${JSON.stringify(schemas.length === 1 ? schemas[0] : { anyOf: schemas }, null, 2)}\n`)
  return EXIT.done
}

/** A JSON Schema's properties as the variables of a library's file. */
export async function variables(around: Surroundings, file: string): Promise<number> {
  const unreadable = (fault: unknown): never => {
    throw new ProblemError([
      problem('file-unreadable', { file, why: fault instanceof SyntaxError ? `it is no JSON (${fault.message})` : reason(fault) }),
    ])
  }
  const text = await readFile(file, 'utf8').catch(unreadable)
  let data: unknown
  try {
    data = JSON.parse(text)
  } catch (fault) {
    unreadable(fault)
  }
  const found = variablesFromSchema((data ?? {}) as JsonSchema)
  around.stdout.write(stringify({ variables: found.variables }, { lineWidth: 0 }))
  const c = colorsFor(around.stderr, around.env)
  for (const p of found.problems) around.stderr.write(`${printProblem(p, paintFor(c))}\n`)
  return found.problems.length > 0 ? EXIT.problems : EXIT.done
}
