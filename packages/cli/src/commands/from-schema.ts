import { readFile } from 'node:fs/promises'
import { ProblemError } from 'dunelight'
import { variablesFromSchema, type JsonSchema } from 'dunelight/parts'
import { problem } from 'dunelight/host'
import { reason } from '@dunelight/node/host'
import { stringify } from 'yaml'
import { defineCommand } from '../define-command.js'
import { EXIT, type CommandContext, sayProblems } from '../ui/context.js'

export const fromSchemaCommand = defineCommand({
  name: 'from-schema',
  group: 'Write',
  about: 'Print the properties of a JSON Schema as variables of a prompt.',
  arguments: [['<schema>', 'a JSON file']],
  options: [],
  examples: ['from-schema order.schema.json'],
  run: (context, [file]) => fromSchema(context, file),
})

/** A JSON Schema's properties as the variables of a library's file. */
async function fromSchema(context: CommandContext, file: string): Promise<number> {
  const unreadable = (fault: unknown): never => {
    throw new ProblemError([
      problem('file-unreadable', { file, why: fault instanceof SyntaxError ? `it is not valid JSON (${fault.message})` : reason(fault) }),
    ])
  }
  const text = await readFile(file, 'utf8').catch(unreadable)
  let data: unknown
  try {
    data = JSON.parse(text)
  } catch (fault) {
    unreadable(fault)
  }
  const converted = variablesFromSchema((data ?? {}) as JsonSchema)
  context.stdout.write(stringify({ variables: converted.variables }, { lineWidth: 0 }))
  sayProblems(context, converted.problems)
  return converted.problems.length > 0 ? EXIT.problems : EXIT.done
}
