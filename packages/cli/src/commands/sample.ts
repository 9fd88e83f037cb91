import { ProblemError, problem, type Form, type Prompt } from 'dunelight'
import { openToRender } from '../open.js'
import { namedValues, type ValueFlags } from '../record.js'
import { EXIT, WrongUse, type Surroundings } from '../surroundings.js'

export interface SampleFlags extends ValueFlags {
  readonly count?: number
  readonly seed?: number
  readonly as?: string
  readonly ways?: boolean
}

/** Prints made-up replies to a prompt, for tests of what reads them. */
export async function sample(around: Surroundings, folder: string, name: string, flags: SampleFlags): Promise<number> {
  const library = await openToRender(folder, name)
  const prompt = library.prompt(name)
  if (prompt.outputs.length === 0) throw new WrongUse(`"${name}" has no output that a reply could fit`)
  const named = await namedValues(library, prompt, flags)
  const form = named ? prompt.render(named.values, { record: named.id }).form : formWithoutRecord(prompt)
  if (!form) throw new ProblemError([problem('output-unknown', { name: '', known: prompt.outputs })])
  const { repairable, wrong } = form.ways
  if (flags.ways) {
    around.stdout.write(`${[...repairable.map((way) => `${way}  repaired`), ...wrong.map((way) => `${way}  refused`)].join('\n')}\n`)
    return EXIT.done
  }
  if (flags.as !== undefined && ![...repairable, ...wrong].includes(flags.as))
    throw new WrongUse(
      `there is no way "${flags.as}" in which such a reply is other than asked`,
      `ways: ${[...repairable, ...wrong].join(', ')}`,
    )
  const count = flags.count ?? 1
  for (let i = 0; i < count; i++) {
    const text = form.sample((flags.seed ?? 0) + i, flags.as === undefined ? {} : { as: flags.as })
    if (text === undefined) throw new WrongUse(`a reply to "${name}" has no room for "${flags.as!}"`)
    around.stdout.write(count === 1 ? `${text}\n` : `${JSON.stringify({ seed: (flags.seed ?? 0) + i, reply: text })}\n`)
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
