import { passagesIn, type Text } from 'dunelight/parts'
import type { OutputModel } from 'dunelight/host'
import { defineCommand, JSON_FLAG, LIBRARY } from '../define-command.js'
import { openToRead } from '../flags/open-library.js'
import { colorsFor, EXIT, plural, type CommandContext } from '../ui/context.js'
import { columns } from '../ui/table.js'

export const listCommand = defineCommand({
  name: 'list',
  group: 'Write',
  about: 'List what a library contains.',
  arguments: [LIBRARY],
  options: [JSON_FLAG],
  examples: ['list demo/marram-house'],
  run: (context, [folder], flags: { json?: boolean }) => list(context, folder, flags),
})

interface Row {
  readonly name: string
  readonly about: string
}

/** What an answer of an output consists of: fields, labels, passages. */
function partsOf(output: OutputModel): string {
  const passages = (text: Text | undefined) => (text ? passagesIn(text).map((passage) => passage.name) : [])
  switch (output.form) {
    case 'fields':
      return output.fields.map((field) => field.name).join(', ')
    case 'one-of':
      return output.of.join(', ')
    case 'rows':
      return passages(output.row).join(', ')
    case 'document':
      return passages(output.text).join(', ')
  }
}

/** Lists a library's artefacts by kind. */
async function list(context: CommandContext, folder: string, flags: { json?: boolean }): Promise<number> {
  const library = await openToRead(folder)
  const { artefacts } = library
  const kinds: Record<string, Row[]> = {
    prompts: [...artefacts.prompts.values()].map((p) => ({ name: p.name, about: p.title })),
    snippets: [...artefacts.snippets.values()].map((s) => ({ name: s.name, about: s.variables.map((v) => v.name).join(', ') })),
    personas: [...artefacts.personas.values()].map((p) => ({ name: p.name, about: p.title ?? '' })),
    examples: [...artefacts.examples.values()].map((e) => ({
      name: e.name,
      about: plural(library.sets.get(e.name)?.rows.length ?? 0, 'case'),
    })),
    outputs: [...library.outputs.values()].map((o) => ({ name: o.name, about: `${o.form}: ${partsOf(o)}` })),
    assemblies: [...artefacts.assemblies.values()].map((a) => ({
      name: a.name,
      about: `${a.title}: ${a.parts.map(({ name }) => name).join(', ')}`,
    })),
    envelopes: [...artefacts.envelopes.values()].map((e) => ({ name: e.name, about: e.title ?? '' })),
    batches: [...artefacts.batches.values()].map((b) => ({ name: b.name, about: b.prompt?.name ?? '' })),
  }
  const sections = Object.entries(kinds).filter(([, rows]) => rows.length > 0)
  if (flags.json) context.stdout.write(`${JSON.stringify({ title: library.title, ...kinds }, null, 2)}\n`)
  else {
    const c = colorsFor(context.stdout, context.env)
    if (library.title !== undefined) context.stdout.write(`${c.bold(library.title)}\n`)
    // One table, so that the names of all kinds have the same width.
    const lines = columns(
      sections.flatMap(([, rows]) => rows.map(({ name, about: message }) => [name, c.dim(message)])),
      { indent: 2 },
    ).split('\n')
    for (const [kind, rows] of sections) context.stdout.write(`\n${c.dim(kind)}\n${lines.splice(0, rows.length).join('\n')}\n`)
  }
  const errors = library.problems.filter((p) => p.severity === 'error').length
  if (errors > 0) context.stderr.write(`${plural(errors, 'error')} in this library: dunelight check ${folder}\n`)
  return EXIT.done
}
