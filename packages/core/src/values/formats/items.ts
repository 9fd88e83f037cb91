import { present, writeInner } from '../write.js'
import { itemType, type ValueType } from '../types.js'

/** A list's items as they are written, missing ones left out. */
export function texts(list: readonly unknown[], type: ValueType): string[] {
  const item = itemType(type) ?? { kind: 'any' }
  const plain = item.kind === 'text' || item.kind === 'choice'
  if (plain && list.every((value) => typeof value === 'string' && value !== '')) return list as string[]
  return present(list).map((value) => writeInner(value, item))
}
