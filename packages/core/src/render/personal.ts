import { defined } from '../invariant.js'
import { own } from '../values/data.js'
import { foldCase, phrases } from '../values/personal/detector.js'
import { edited, valueSegments } from './defuse.js'
import type { PersonalPlan } from './plan.js'
import type { RenderedTurn } from './render.js'
import type { Run } from './run.js'

/** Turns in which values that the prompt declares personal are placeholders, wherever they appear in text that comes from values. */
export function withoutPersonal(turns: readonly RenderedTurn[], { paths }: PersonalPlan, run: Run): readonly RenderedTurn[] {
  const texts = paths.flatMap(({ variable, fields, kind }) => textsAt(run.values[variable], fields).map((text) => ({ text, kind })))
  const kinds = new Map(texts.map(({ text, kind }) => [folded(text), kind]))
  const pattern = phrases(texts.map(({ text }) => text))
  if (!pattern) return turns
  const placeholder = (text: string) => run.masks.placeholderFor(defined(kinds.get(folded(text))), text)
  return turns.map((turn) => {
    const trace = defined(turn.trace)
    const edits = valueSegments(trace).flatMap(({ start, end }) =>
      [...turn.text.slice(start, end).matchAll(pattern)].map(({ 0: text, index }) => ({
        start: start + index,
        end: start + index + text.length,
        text: placeholder(text),
      })),
    )
    const parts = turn.parts?.map((part) => (part.kind === 'text' ? { ...part, text: part.text.replace(pattern, placeholder) } : part))
    return { ...turn, ...(edits.length > 0 && edited(turn.text, trace, edits)), ...(parts && { parts }) }
  })
}

function textsAt(value: unknown, fields: readonly string[]): readonly string[] {
  if (Array.isArray(value)) return value.flatMap((item) => textsAt(item, fields))
  const [field, ...rest] = fields
  if (field !== undefined) return typeof value === 'object' && value !== null ? textsAt(own(value, field), rest) : []
  return typeof value === 'string' && value.trim().length > 1 ? [value] : typeof value === 'number' ? [String(value)] : []
}

function folded(text: string): string {
  return foldCase(text.trim().replace(/\s+/g, ' '))
}
