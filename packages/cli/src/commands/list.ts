import { passagesIn, type OutputModel, type Text } from 'dunelight'
import { openToLook } from '../open.js'
import { colorsFor, EXIT, plural, type Surroundings } from '../surroundings.js'

interface Row {
  readonly name: string
  readonly says: string
}

/** What an answer of an output consists of: fields, labels, passages. */
function partsOf(output: OutputModel): string {
  const passages = (text: Text | undefined) => (text ? passagesIn(text).map((one) => one.name) : [])
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
export async function list(around: Surroundings, folder: string, flags: { json?: boolean }): Promise<number> {
  const library = await openToLook(folder)
  const { shelf } = library
  const kinds: Record<string, Row[]> = {
    prompts: [...shelf.prompts.values()].map((p) => ({ name: p.name, says: p.title })),
    snippets: [...shelf.snippets.values()].map((s) => ({ name: s.name, says: s.variables.map((v) => v.name).join(', ') })),
    personas: [...shelf.personas.values()].map((p) => ({ name: p.name, says: p.title ?? '' })),
    examples: [...shelf.examples.values()].map((e) => ({ name: e.name, says: plural(library.sets.get(e.name)?.rows.length ?? 0, 'case') })),
    outputs: [...library.outputs.values()].map((o) => ({ name: o.name, says: `${o.form}: ${partsOf(o)}` })),
    envelopes: [...shelf.envelopes.values()].map((e) => ({ name: e.name, says: e.title ?? '' })),
    batches: [...shelf.batches.values()].map((b) => ({ name: b.name, says: b.prompt?.name ?? '' })),
  }
  const held = Object.entries(kinds).filter(([, rows]) => rows.length > 0)
  if (flags.json) around.stdout.write(`${JSON.stringify({ title: library.title, ...kinds }, null, 2)}\n`)
  else {
    const c = colorsFor(around.stdout, around.env)
    if (library.title !== undefined) around.stdout.write(`${c.bold(library.title)}\n`)
    const width = Math.max(0, ...held.flatMap(([, rows]) => rows.map((row) => row.name.length)))
    for (const [kind, rows] of held) {
      around.stdout.write(`\n${c.dim(kind)}\n`)
      for (const row of rows) around.stdout.write(`  ${row.name.padEnd(width)}  ${c.dim(row.says)}`.trimEnd() + '\n')
    }
  }
  const errors = library.problems.filter((p) => p.severity === 'error').length
  if (errors > 0) around.stderr.write(`${plural(errors, 'error')} in this library: dunelight check ${folder}\n`)
  return EXIT.done
}
