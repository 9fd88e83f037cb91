import type { Prompt } from 'dunelight'
import { schemaOf } from 'dunelight/parts'
import { defined } from 'dunelight/host'
import { defineCommand, LIBRARY, PROMPT } from '../define-command.js'
import { openNamed, openToRead } from '../flags/open-library.js'
import { EXIT, WrongUse, type CommandContext } from '../ui/context.js'

interface SchemaFlags {
  readonly marks?: boolean
  readonly answer?: boolean
  readonly strict?: boolean
  readonly call?: boolean
}

export const schemaCommand = defineCommand({
  name: 'schema',
  group: 'Export',
  about: 'Print the variables of a prompt as a JSON Schema (2020-12).',
  arguments: [LIBRARY, PROMPT],
  options: [
    ['--marks', 'keep what JSON Schema cannot express, under x-dunelight'],
    ['--answer', 'print the schema of the answer instead'],
    ['--strict', 'with --answer: every property required, null if it is optional'],
    ['--call', 'with --answer: as a function definition'],
  ],
  examples: ['schema demo/marram-house label/write'],
  run: (context, [folder, prompt], flags: SchemaFlags) => schema(context, folder, prompt, flags),
})

/** The variables of a prompt as a JSON Schema, or what its replies are read as. */
async function schema(context: CommandContext, folder: string, stated: string, flags: SchemaFlags): Promise<number> {
  const { library, name } = await openNamed(context, folder, stated, {}, openToRead)
  const prompt = library.prompt(name)
  if (flags.answer) return answerSchema(context, prompt, flags)
  for (const flag of ['strict', 'call'] as const) if (flags[flag]) throw new WrongUse(`--${flag} needs --answer`, 'add --answer')
  context.stdout.write(`${JSON.stringify(schemaOf(prompt.variables, prompt.title, { marks: flags.marks ?? false }), null, 2)}\n`)
  return EXIT.done
}

function answerSchema(context: CommandContext, prompt: Prompt, { strict = false, call }: SchemaFlags): number {
  const schemas = prompt.outputs.map((output) => {
    const form = defined(prompt.outline(output))
    return call ? form.call({ strict }) : form.schema({ strict })
  })
  if (schemas.length === 0) throw new WrongUse(`"${prompt.name}" has no output`)
  context.stdout.write(`${JSON.stringify(schemas.length === 1 ? schemas[0] : { anyOf: schemas }, null, 2)}\n`)
  return EXIT.done
}
