import type { Library, Prompt } from 'dunelight'
import { describe, type Declared } from 'dunelight/parts'
import { defineCommand, JSON_FLAG, LIBRARY, list, LOCALE, RECORD_FLAGS, SHAPE_FLAGS } from '../define-command.js'
import { APPROVER_FLAGS, openNamed, promptOf, type ApproverFlags } from '../flags/open-library.js'
import { assemblyCard, previewJson, printAssembly, printPreview } from './show-assembly.js'
import { inputRows } from './show-inputs.js'
import { printOrigins } from '../ui/print-origins.js'
import { namedValues, type ValueFlags } from '../flags/record.js'
import { colorsFor, EXIT, type Colors, type CommandContext } from '../ui/context.js'
import { columns } from '../ui/table.js'

interface ShowFlags extends ValueFlags, ApproverFlags {
  readonly json?: boolean
}

export const showCommand = defineCommand({
  name: 'show',
  group: 'Write',
  about: 'Show a prompt or an assembly: its variables and what it uses; with values, the origin of every span.',
  arguments: [LIBRARY, ['<name>', 'a prompt, an assembly, or a batch: a record as it joins it']],
  options: [
    ['--set <name=value>', 'a value; can be repeated', list],
    ...RECORD_FLAGS,
    ...SHAPE_FLAGS,
    LOCALE,
    ...APPROVER_FLAGS,
    JSON_FLAG,
  ],
  examples: [
    'show demo/marram-house label/write',
    'show demo/marram-house label/write --records demo/marram-house/data/objects.csv --record MH-0007',
    'show demo/marram-house tonight --record MH-0007',
  ],
  run: (context, [folder, prompt], flags: ShowFlags) => show(context, folder, prompt, flags),
})

/** Shows what a prompt takes and uses; with values, its finished turns and the origin of each span. */
async function show(context: CommandContext, folder: string, stated: string, flags: ShowFlags): Promise<number> {
  const { library, name: what } = await openNamed(context, folder, stated, flags)
  const name = promptOf(library, what)
  const c = colorsFor(context.stdout, context.env)
  const given = await namedValues(library, folder, what, flags)
  const width = context.stdout.isTTY ? context.stdout.columns : undefined
  if (library.artefacts.assemblies.has(name)) {
    const assembly = library.assembly(name)
    if (given) context.stdout.write(flags.json ? previewJson(assembly, given) : printPreview(assembly, given, c, width))
    else
      context.stdout.write(
        flags.json ? `${JSON.stringify(assemblyCard(library, assembly), null, 2)}\n` : printAssembly(library, assembly, c),
      )
    return EXIT.done
  }
  const prompt = library.prompt(name)
  if (!given) {
    context.stdout.write(flags.json ? `${JSON.stringify(card(library, prompt), null, 2)}\n` : printCard(library, prompt, c))
    return EXIT.done
  }
  const rendering = prompt.render(given.values, { origins: true, record: given.id })
  if (flags.json) {
    const turns = rendering.turns.map(({ role, text, origins }) => ({
      role,
      text,
      origins: origins.map((origin) => ({ ...origin, span: undefined })),
    }))
    context.stdout.write(`${JSON.stringify({ prompt: name, record: given.id, turns }, null, 2)}\n`)
  } else context.stdout.write(printOrigins(rendering.turns, c, width))
  return EXIT.done
}

function card(library: Library, prompt: Prompt) {
  return {
    name: prompt.name,
    title: prompt.title,
    about: prompt.about,
    settings: prompt.settings,
    variables: prompt.variables.map(inputOf),
    fingerprint: prompt.fingerprint,
    drawsOn: library.graph.drawsOn({ kind: 'prompt', name: prompt.name }),
  }
}

function inputOf({ name, type, optional, untrusted, about, default: fallback }: Declared): object {
  const fields = (type.kind === 'record' || type.kind === 'table') && type.fields ? { fields: type.fields.map(inputOf) } : {}
  return {
    name,
    type: describe(type),
    needed: !optional && fallback === undefined,
    ...(fallback !== undefined && { default: fallback }),
    ...(untrusted && { untrusted }),
    ...(about !== undefined && { about }),
    ...fields,
  }
}

function printCard(library: Library, prompt: Prompt, c: Colors): string {
  const lines = [`${c.bold(prompt.name)}  ${prompt.title}`]
  if (prompt.about !== undefined) lines.push(c.dim(prompt.about))
  lines.push('', c.dim('takes'))
  const rows = prompt.variables.flatMap((d) => inputRows(d, ''))
  const table = columns(
    rows.map(([name = '', type = '', notes = '']) => [name, type, c.dim(notes)]),
    { indent: 2 },
  )
  lines.push(...table.split('\n').slice(0, -1))
  const used = library.graph.drawsOn({ kind: 'prompt', name: prompt.name })
  lines.push('', c.dim('uses'))
  if (used.length === 0) lines.push('  nothing but itself')
  for (const { kind, name } of used) lines.push(`  ${kind} ${name}`)
  const settings = Object.entries(prompt.settings)
  if (settings.length > 0)
    lines.push(
      '',
      c.dim('settings'),
      ...settings.map(([key, value]) => `  ${key}: ${typeof value === 'string' ? value : JSON.stringify(value)}`),
    )
  lines.push('', c.dim('fingerprint'), `  ${prompt.fingerprint}`)
  return `${lines.join('\n')}\n`
}
