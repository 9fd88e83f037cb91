import { describe, type Declared, type Library, type Prompt } from 'dunelight'
import { openToRender } from '../open.js'
import { printOrigins } from '../print-origins.js'
import { namedValues, type ValueFlags } from '../record.js'
import { colorsFor, EXIT, type Colors, type Surroundings } from '../surroundings.js'

export interface ShowFlags extends ValueFlags {
  readonly json?: boolean
}

/** Shows what a prompt takes and draws on; with values, its finished turns and where each stretch comes from. */
export async function show(around: Surroundings, folder: string, name: string, flags: ShowFlags): Promise<number> {
  const library = await openToRender(folder, name)
  const prompt = library.prompt(name)
  const c = colorsFor(around.stdout, around.env)
  const found = await namedValues(library, prompt, flags)
  if (!found) {
    around.stdout.write(flags.json ? `${JSON.stringify(card(library, prompt), null, 2)}\n` : printCard(library, prompt, c))
    return EXIT.done
  }
  const rendering = prompt.render(found.values, { origins: true, record: found.id })
  if (flags.json) {
    const turns = rendering.turns.map(({ role, text, origins }) => ({
      role,
      text,
      origins: origins.map((origin) => ({ ...origin, span: undefined })),
    }))
    around.stdout.write(`${JSON.stringify({ prompt: name, record: found.id, turns }, null, 2)}\n`)
  } else around.stdout.write(printOrigins(rendering.turns, c, around.stdout.isTTY ? around.stdout.columns : undefined))
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

function inputOf({ name, type, optional, outside, about, default: fallback }: Declared): object {
  const fields = (type.kind === 'record' || type.kind === 'table') && type.fields ? { fields: type.fields.map(inputOf) } : {}
  return {
    name,
    type: describe(type),
    needed: !optional && fallback === undefined,
    ...(fallback !== undefined && { default: fallback }),
    ...(outside && { outside }),
    ...(about !== undefined && { about }),
    ...fields,
  }
}

function printCard(library: Library, prompt: Prompt, c: Colors): string {
  const lines = [`${c.bold(prompt.name)}  ${prompt.title}`]
  if (prompt.about !== undefined) lines.push(c.dim(prompt.about))
  lines.push('', c.dim('takes'))
  const rows = prompt.variables.flatMap((d) => inputRows(d, ''))
  const widths = [0, 1].map((column) => Math.max(...rows.map((row) => row[column]!.length), 0))
  for (const [name = '', type = '', notes = ''] of rows)
    lines.push(`  ${name.padEnd(widths[0]!)}  ${type.padEnd(widths[1]!)}  ${c.dim(notes)}`.trimEnd())
  const used = library.graph.drawsOn({ kind: 'prompt', name: prompt.name })
  lines.push('', c.dim('draws on'))
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

/** A variable and its fields: name, type, what else is to be said. */
function inputRows(d: Declared, indent: string): string[][] {
  const notes = [
    d.default !== undefined ? `default ${JSON.stringify(d.default)}` : d.optional ? 'optional' : '',
    d.outside ? 'from outside' : '',
    d.about ?? '',
  ].filter((n) => n !== '')
  const fields = d.type.kind === 'record' || d.type.kind === 'table' ? (d.type.fields ?? []) : []
  return [[indent + d.name, describe(d.type), notes.join(' · ')], ...fields.flatMap((f) => inputRows(f, `${indent}  `))]
}
