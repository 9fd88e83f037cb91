import type { Shape } from './shape.js'
import { problem, type Problem } from '../problems/problem.js'
import type { Declared, ValueType } from '../values/types.js'

/** Which bound of which field. */
export interface Bound {
  readonly path: readonly string[]
  readonly bound: string
}

const OF_ITEMS = ['min-items', 'max-items']

/** The same shape with one bound set; one that contradicts another is reported by `fail`. */
export function withBound(shape: Shape, path: readonly string[], bound: string, value: number, fail: (problem: Problem) => never): Shape {
  if (shape.form === 'fields') return { ...shape, fields: boundFields(shape.fields, path, bound, value, fail) }
  if (shape.form !== 'rows') return shape
  return ordered({ ...shape, [bound]: value }, bound, fail)
}

function boundFields(
  fields: readonly Declared[],
  [name, ...rest]: readonly string[],
  bound: string,
  value: number,
  fail: (problem: Problem) => never,
): Declared[] {
  return fields.map((field) => (field.name === name ? { ...field, type: boundType(field.type, rest, bound, value, fail) } : field))
}

function boundType(type: ValueType, path: readonly string[], bound: string, value: number, fail: (problem: Problem) => never): ValueType {
  if ((type.kind === 'record' || type.kind === 'table') && path.length > 0)
    return { ...type, fields: boundFields(type.fields ?? [], path, bound, value, fail) }
  // A list's own bounds count its items; all others speak of each of them.
  if (type.kind === 'list' && (path.length > 0 || !OF_ITEMS.includes(bound)))
    return { ...type, item: boundType(type.item, path, bound, value, fail) }
  const bounded: ValueType = { ...type, [keyOf(bound)]: value }
  return ordered(bounded, keyOf(bound), fail)
}

/** min-words is minWords in the model. */
function keyOf(bound: string): string {
  return bound.replace(/-(\w)/, (_, letter: string) => letter.toUpperCase())
}

function ordered<T extends object>(bounded: T, bound: string, fail: (problem: Problem) => never): T {
  const unit = bound.slice(3)
  const spelled = unit.replace(/[A-Z]/, (letter) => `-${letter.toLowerCase()}`)
  const values = bounded as Record<string, unknown>
  const [low, high] = [values[`min${unit}`], values[`max${unit}`]]
  if (typeof low === 'number' && typeof high === 'number' && low > high)
    fail(problem('bounds-contradict', { least: `min${spelled}: ${low}`, most: `max${spelled}: ${high}` }))
  return bounded
}
