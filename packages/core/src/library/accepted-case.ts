import { ownTurns, type InputTurn, type ExampleSetModel, type PromptModel } from '../artefacts/artefacts.js'
import { soleSlot } from '../text/sole-slot.js'
import { isRecord, own } from '../values/data.js'

/**
 * An answer that was accepted or edited, as a case of an example set: each field is the answer's of that name; else the value that the prompt
 * with (`with: { note: "{item.survey-note}" }`); else its variable, or a record's field, of that name. What is nowhere is null.
 */
export function acceptedCase(
  set: ExampleSetModel,
  prompts: ReadonlyMap<string, PromptModel>,
  prompt: string,
  values: Readonly<Record<string, unknown>>,
  answer: Readonly<Record<string, unknown>>,
): Record<string, unknown> {
  const asked = askTurns(prompts, prompt).flatMap((turn) => (turn.set.name === set.name ? turn.with : []))
  const named = (name: string): unknown => {
    if (Object.hasOwn(answer, name)) return answer[name]
    const binding = asked.find((binding) => binding.name === name)
    const path = binding && soleSlot(binding.text)?.paths[0]
    if (path) return path.steps.reduce<unknown>((value, { key }) => own(value, key), own(values, path.name))
    const holder = [values, ...Object.values(values)].find((item) => isRecord(item) && Object.hasOwn(item, name))
    return own(holder, name)
  }
  return Object.fromEntries(set.fields.map(({ name }) => [name, named(name) ?? null]))
}

/** What a prompt asks by example sets, and what its bases do. */
function askTurns(prompts: ReadonlyMap<string, PromptModel>, name: string): InputTurn[] {
  const model = prompts.get(name)
  if (!model) return []
  const own = ownTurns(model).filter((turn): turn is InputTurn => turn.kind === 'input')
  return model.basedOn ? [...own, ...askTurns(prompts, model.basedOn.name)] : own
}
