import { defined } from '../invariant.js'
import type { JoinedPrompt } from '../artefacts/artefacts.js'
import { problem, type Problem } from '../problems/problem.js'

/**
 * A problem as the derived prompt sees it, in whose compilation it came up. A text of the base that misses a variable which the derived
 * prompt dropped or redeclared is that prompt's fault, with both places; any other fault in a base's text names the prompt beside it.
 */
export function seenFrom(prompt: JoinedPrompt, p: Problem): Problem {
  const { basedOn, file } = prompt
  if (!basedOn || !p.place || !p.span || p.place.file === file.name) return p
  const missed = variableMissed(p)
  const change = [...prompt.changed].reverse().find((item) => item.name === missed)
  const base = p.place.file.replace(/^prompts\//, '').replace(/\.\w+$/, '')
  if (change && p.severity === 'error')
    return problem('base-needs', { name: change.name, base, dropped: change.dropped }, change.span, [
      { message: `needed here: ${p.message}`, span: p.span },
    ])
  if (!p.place.file.startsWith('prompts/')) return p
  return { ...p, related: [...p.related, { message: `in "${prompt.name}", which is based on this`, span: basedOn.span }] }
}

/** The variable that a fault speaks of. */
function variableMissed(p: Problem): string | undefined {
  switch (p.code) {
    case 'name-unknown':
      return p.data.name
    case 'field-unknown':
      return rootOf(p.data.of)
    case 'step-invalid':
    case 'format-invalid':
    case 'each-invalid':
    case 'attach-invalid':
      return rootOf(p.data.path)
    case 'option-unknown':
      return rootOf(p.data.of)
    case 'history-invalid':
      return p.data.name
    default:
      return undefined
  }
}

function rootOf(path: string): string {
  return defined(path.split('.')[0])
}
