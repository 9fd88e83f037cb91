import { ProblemError, type Form, type Prompt } from 'dunelight'
import { problem, defined } from 'dunelight/host'
import { defineCommand, LIBRARY, list, PROMPT, RECORD_FLAGS, whole } from '../define-command.js'
import { openNamed } from '../flags/open-library.js'
import { namedValues, type ValueFlags } from '../flags/record.js'
import { EXIT, WrongUse, type CommandContext } from '../ui/context.js'

interface SampleFlags extends Pick<ValueFlags, 'set' | 'records' | 'record'> {
  readonly count?: number
  readonly seed?: number
  readonly as?: string
  readonly ways?: boolean
}

export const sampleCommand = defineCommand({
  name: 'sample',
  group: 'Ask',
  about: 'Generate sample replies to a prompt, to test what reads them.',
  arguments: [LIBRARY, PROMPT],
  options: [
    ['--count <n>', 'print this many, as JSON Lines', whole],
    ['--seed <n>', 'each seed gives another reply', whole],
    ['--as <way>', 'make the reply malformed in this way'],
    ['--ways', 'list these ways'],
    ['--set <name=value>', 'a value, if the output depends on it; can be repeated', list],
    ...RECORD_FLAGS,
  ],
  examples: ['sample demo/marram-house survey/grade --seed 7 --as captioned'],
  run: (context, [folder, prompt], flags: SampleFlags) => sample(context, folder, prompt, flags),
})

/** Prints made-up replies to a prompt, for tests of what reads them. */
async function sample(context: CommandContext, folder: string, stated: string, flags: SampleFlags): Promise<number> {
  const { library, name } = await openNamed(context, folder, stated)
  const { set, records, record } = flags
  const recordFlags = { ...(set && { set }), ...(records !== undefined && { records }), ...(record !== undefined && { record }) }
  const prompt = library.prompt(name)
  if (prompt.outputs.length === 0) throw new WrongUse(`"${name}" has no output to generate a reply for`)
  const named = await namedValues(library, folder, name, recordFlags)
  const form = named ? prompt.render(named.values, { record: named.id }).form : formWithoutRecord(prompt)
  if (!form) throw new ProblemError([problem('output-unknown', { name: '', known: prompt.outputs })])
  const { repairable, wrong } = form.ways
  if (flags.ways) {
    context.stdout.write(`${[...repairable.map((way) => `${way}  repaired`), ...wrong.map((way) => `${way}  refused`)].join('\n')}\n`)
    return EXIT.done
  }
  if (flags.as !== undefined && ![...repairable, ...wrong].includes(flags.as))
    throw new WrongUse(`unknown way "${flags.as}" for --as`, `ways: ${[...repairable, ...wrong].join(', ')}`)
  const count = flags.count ?? 1
  for (let i = 0; i < count; i++) {
    const text = form.sample((flags.seed ?? 0) + i, flags.as === undefined ? {} : { as: flags.as })
    if (text === undefined) throw new WrongUse(`a reply to "${name}" has no room for "${defined(flags.as)}"`)
    context.stdout.write(count === 1 ? `${text}\n` : `${JSON.stringify({ seed: (flags.seed ?? 0) + i, reply: text })}\n`)
  }
  return EXIT.done
}

/** Without a record, bounds that it would decide are left open; a document would lack its values. */
function formWithoutRecord(prompt: Prompt): Form | undefined {
  try {
    return prompt.form()
  } catch (fault) {
    const outline = prompt.outputs.length === 1 ? prompt.outline() : undefined
    if (outline && outline.shape.form !== 'document') return outline
    if (fault instanceof TypeError) throw new WrongUse(fault.message, 'name a record: --records FILE --record ID, or --set name=value')
    throw fault
  }
}
