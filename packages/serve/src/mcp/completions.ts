import type { Declared, ValueType } from 'dunelight/parts'

/** Values that the protocol lets one answer have. */
const MOST = 100

interface Completion {
  readonly [key: string]: unknown
  readonly values: string[]
  readonly total: number
  readonly hasMore: boolean
}

/** What an argument can be that begins with a text: the options of a choice, yes or no. For a list its last item is completed. */
export function completionsOf(declared: readonly Declared[], name: string, begun: string): Completion {
  const type = declared.find((variable) => variable.name === name)?.type
  const isList = type?.kind === 'list'
  const before = isList ? (/^(?:.*;\s*)?/s.exec(begun)?.[0] ?? '') : ''
  const start = begun.slice(before.length).toLowerCase()
  const fits = (type ? optionsOf(type) : []).filter((option) => option.toLowerCase().startsWith(start))
  return { values: fits.slice(0, MOST).map((option) => before + option), total: fits.length, hasMore: fits.length > MOST }
}

function optionsOf(type: ValueType): readonly string[] {
  if (type.kind === 'list') return optionsOf(type.item)
  if (type.kind === 'boolean') return ['yes', 'no']
  return type.kind === 'choice' ? type.of : []
}
