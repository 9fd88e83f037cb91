import type { Condition, Operand, Path, Text } from './nodes.js'
import { nodesIn } from './branches.js'

/** All paths that a condition names. */
export function pathsOf(condition: Condition): readonly Path[] {
  const of = (operand: Operand) => (operand.kind === 'path' ? [operand.path] : [])
  switch (condition.kind) {
    case 'or':
    case 'and':
      return condition.parts.flatMap(pathsOf)
    case 'not':
      return pathsOf(condition.part)
    case 'present':
    case 'empty':
      return of(condition.value)
    case 'compare':
      return [...of(condition.left), ...of(condition.right)]
    case 'among':
      return of(condition.left)
  }
}

/** All paths that the slots, conditions and uses of a text name. */
export function pathsIn(text: Text): readonly Path[] {
  return nodesIn(text.items).flatMap((node) => {
    if (node.kind === 'slot') return node.value.paths
    if (node.kind === 'when') return node.branches.flatMap((branch) => (branch.condition ? pathsOf(branch.condition) : []))
    if (node.kind === 'use')
      return [...node.steps, ...node.with.map(({ value }) => value)].flatMap((step) => (typeof step === 'string' ? [] : step.paths))
    return node.kind === 'each' ? [...node.value.paths, ...(node.keep ? pathsOf(node.keep) : [])] : []
  })
}

/** Two paths that a join's `where` declares equal. */
export interface Equality {
  /** Within the joined table. */
  readonly mine: Path
  readonly other: Path
}

/** `item.room is room.code and item.floor is room.floor`; undefined where a condition is anything else. */
export function equalitiesOf(condition: Condition, as: string): readonly Equality[] | undefined {
  if (condition.kind === 'and') {
    const all = condition.parts.map((part) => equalitiesOf(part, as))
    return all.every((item) => item !== undefined) ? all.flat() : undefined
  }
  if (condition.kind !== 'compare' || condition.operator !== 'is') return undefined
  const { left, right } = condition
  if (left.kind !== 'path' || right.kind !== 'path' || left.formats.length + right.formats.length > 0) return undefined
  const [mine, other] = left.path.name === as ? [left.path, right.path] : [right.path, left.path]
  return mine.name === as && other.name !== as && mine.steps.length === 1 ? [{ mine, other }] : undefined
}
