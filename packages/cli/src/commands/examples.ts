import { type Library } from 'dunelight'
import { type SetPick } from 'dunelight/parts'
import { type PreparedSet, defined, leaveOneOut, nearestPairs } from 'dunelight/host'
import { tokenCounter } from '@dunelight/node'
import { setNamed } from '../cases/add-cases.js'
import { defineCommand, JSON_FLAG, LIBRARY, OVERWRITE, SET_FOR_ALL } from '../define-command.js'
import { openToRender } from '../flags/open-library.js'
import { confusionPage, printConfusion } from '../ui/confusion.js'
import { namedValues } from '../flags/record.js'
import { writeResult } from '../ui/result-file.js'
import { colorsFor, EXIT, plural, WrongUse, type Colors, type CommandContext } from '../ui/context.js'

interface ExamplesFlags {
  readonly for?: string
  readonly records?: string
  readonly prompt?: string
  readonly set?: string[]
  readonly leaveOneOut?: boolean
  readonly to?: string
  readonly overwrite?: boolean
  readonly json?: boolean
}

export const examplesCommand = defineCommand({
  name: 'examples',
  group: 'Write',
  about: 'Show an example set, the cases that are picked for a record, or how well likeness alone labels them.',
  arguments: [LIBRARY, ['<set>', 'the example set’s name']],
  options: [
    ['--for <id>', 'show the cases picked for this record, and why'],
    ['--records <file>', 'the table that has the record'],
    ['--prompt <name>', 'the prompt, if several use the set'],
    SET_FOR_ALL,
    ['--leave-one-out', 'label each case by the cases nearest to it'],
    ['--to <file>', 'write the result as an HTML page'],
    OVERWRITE,
    JSON_FLAG,
  ],
  examples: ['examples demo/marram-house condition-notes --for MH-0008 --records demo/marram-house/data/objects.csv'],
  run: (context, [folder, name], flags: ExamplesFlags) => examples(context, folder, name, flags),
})

/** A summary of an example set; with a record, the cases that would be picked for it; or how often likeness alone is right. */
async function examples(context: CommandContext, folder: string, name: string, flags: ExamplesFlags): Promise<number> {
  if (flags.to !== undefined && !flags.leaveOneOut) throw new WrongUse('--to writes the table of --leave-one-out', 'add --leave-one-out')
  const library = await openToRender(folder)
  const set = setNamed(library, name)
  const c = colorsFor(context.stdout, context.env)
  if (flags.leaveOneOut) return sayLeaveOneOut(context, set, name, flags, c)
  if (flags.for !== undefined) return sayPicks(context, library, folder, set, name, flags, c)
  const data = await glance(set)
  context.stdout.write(flags.json ? `${JSON.stringify(data, null, 2)}\n` : printGlance(set, name, data, c))
  return EXIT.done
}

type Glance = Awaited<ReturnType<typeof glance>>

async function glance({ model, facts, picker }: PreparedSet) {
  const count = await tokenCounter()
  const texts = facts.inputs.map((ask, i) => `${ask}\n${facts.expected[i] ?? ''}`)
  const tokens = texts.map(count)
  const lengths = facts.inputs.map((ask) => ask.length).sort((a, b) => a - b)
  const labels: Record<string, number> = Object.fromEntries((facts.label?.options ?? []).map((option) => [option, 0]))
  facts.inputs.forEach((_, i) => {
    const label = facts.label?.of(i)
    if (label !== undefined) labels[label] = (labels[label] ?? 0) + 1
  })
  const sum = tokens.reduce((all, number) => all + number, 0)
  return {
    cases: facts.inputs.length,
    from: model.from?.path,
    labels,
    lengths: { least: lengths[0] ?? 0, middle: lengths[lengths.length >> 1] ?? 0, most: lengths.at(-1) ?? 0 },
    tokens: { all: sum, middle: [...tokens].sort((a, b) => a - b)[tokens.length >> 1] ?? 0, most: Math.max(0, ...tokens) },
    nearest: nearestPairs(picker.index, facts.inputs)
      .slice(0, 5)
      .map(({ first: number, second, likeness }) => ({
        first: number + 1,
        second: second + 1,
        likeness: Math.round(likeness * 100) / 100,
      })),
  }
}

function printGlance({ model, facts }: PreparedSet, name: string, data: Glance, c: Colors): string {
  const lines = [`${c.bold(name)}  ${model.title ?? ''}`.trimEnd()]
  lines.push(`${plural(data.cases, 'case')}${data.from === undefined ? '' : `, from ${data.from}`}`, '')
  const width = Math.max(0, ...Object.keys(data.labels).map((label) => label.length))
  const most = Math.max(1, ...Object.values(data.labels))
  if (facts.label) {
    lines.push(c.dim(facts.label.field))
    for (const [label, count] of Object.entries(data.labels))
      lines.push(`  ${label.padEnd(width)}  ${String(count).padStart(4)}  ${'█'.repeat(Math.round((count / most) * 32))}`)
    lines.push('')
  }
  const { lengths, tokens } = data
  lines.push(`${c.dim('length')}  ${lengths.least} to ${lengths.most} characters, median ${lengths.middle}`)
  lines.push(`${c.dim('tokens')}  median ${tokens.middle}, at most ${tokens.most}, ${tokens.all} in total`)
  const { by, atMost, cover, budget } = model.pick
  const rules = [`by ${by}`, atMost && `at most ${atMost}`, cover && `every ${cover}`, budget && `within ${budget} tokens`].filter(Boolean)
  lines.push(`${c.dim('picked')}  ${rules.join(', ')}`)
  if (data.nearest.length > 0) lines.push('', c.dim('nearest pairs'))
  for (const { first, second, likeness } of data.nearest)
    lines.push(
      `  ${likeness.toFixed(2)}  ${String(first).padStart(3)}  ${excerpt(defined(facts.inputs[first - 1]))}`,
      `        ${String(second).padStart(3)}  ${excerpt(defined(facts.inputs[second - 1]))}`,
    )
  return `${lines.join('\n')}\n`
}

/** A case's side on one line, without the tags of its fence. */
function excerpt(text: string, length = 88): string {
  const line = text
    .replace(/^<[^>]*>$/gm, '')
    .replace(/\s+/g, ' ')
    .trim()
  return line.length > length ? `${line.slice(0, length - 1)}…` : line
}

async function sayPicks(
  context: CommandContext,
  library: Library,
  folder: string,
  set: PreparedSet,
  name: string,
  flags: ExamplesFlags,
  c: Colors,
): Promise<number> {
  if (flags.records === undefined) throw new WrongUse('--for names a record of a table', 'add --records FILE')
  const users = library.graph.usedBy({ kind: 'example set', name }).flatMap((member) => (member.kind === 'prompt' ? [member.name] : []))
  const [only] = users
  if (flags.prompt === undefined && users.length !== 1)
    throw new WrongUse(
      users.length === 0 ? `no prompt uses "${name}"` : `several prompts use "${name}": ${users.join(', ')}`,
      users.length === 0 ? undefined : 'add --prompt NAME',
    )
  const prompt = library.prompt(flags.prompt ?? defined(only))
  const named = { records: flags.records, ...(flags.set && { set: flags.set }), ...(flags.for !== undefined && { record: flags.for }) }
  const { values, id } = defined(await namedValues(library, folder, prompt.name, named))
  const picks = prompt.render(values, { record: id }).picks.filter((pick) => pick.set === name)
  if (flags.json) context.stdout.write(`${JSON.stringify({ record: id, prompt: prompt.name, picks }, null, 2)}\n`)
  else for (const pick of picks) context.stdout.write(await printPick(pick, set, `${prompt.name} for ${id}`, c))
  return EXIT.done
}

async function printPick({ cases, same, cut }: SetPick, { facts, model }: PreparedSet, whom: string, c: Colors): Promise<string> {
  const count = await tokenCounter()
  const rows = cases.map(({ case: number, score, why }) => {
    const i = number - 1
    const tokens = count(`${defined(facts.inputs[i])}\n${facts.expected[i] ?? ''}`)
    return { number, score, why, tokens, label: facts.label?.of(i) ?? '', text: excerpt(defined(facts.inputs[i]), 76) }
  })
  const width = Math.max(5, ...rows.map((row) => row.label.length))
  const lines = [`${c.bold(whom)}, in the order in which they are written`, '']
  lines.push(c.dim(`  case  score  why    tokens  label`))
  for (const { number, score, why, tokens, label, text } of rows)
    lines.push(
      `  ${String(number).padStart(4)}  ${score.toFixed(2).padStart(5)}  ${why.padEnd(5)}  ${String(tokens).padStart(6)}  ${label.padEnd(width)}  ${text}`,
    )
  const all = rows.reduce((sum, row) => sum + row.tokens, 0)
  lines.push('', `${plural(rows.length, 'case')}, ${all} tokens${model.pick.budget === undefined ? '' : ` of ${model.pick.budget}`}`)
  if (cut > 0) lines.push(`${plural(cut, 'case')} cut by the budget`)
  if (same.length > 0) lines.push(`left out because ${same.length === 1 ? 'it equals' : 'they equal'} the record: case ${same.join(', ')}`)
  return `${lines.join('\n')}\n`
}

async function sayLeaveOneOut(
  context: CommandContext,
  { facts, picker }: PreparedSet,
  name: string,
  flags: ExamplesFlags,
  c: Colors,
): Promise<number> {
  if (!facts.label) throw new WrongUse(`the cases of "${name}" have no label: no field of their answer is a choice`)
  const quality = leaveOneOut(picker.index, facts.inputs, (number) => defined(facts.label).of(number), facts.label.options)
  if (flags.to !== undefined) {
    await writeResult(flags.to, confusionPage(name, facts.label.field, quality), flags.overwrite ?? false)
    context.stderr.write(`the table of ${plural(quality.cases, 'case')} → ${flags.to}\n`)
  } else context.stdout.write(flags.json ? `${JSON.stringify(quality, null, 2)}\n` : printConfusion(name, quality, c))
  return EXIT.done
}
