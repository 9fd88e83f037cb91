import { present, writeInner } from '../write.js'
import { itemType, type ValueType } from '../types.js'

/** A list's items as they are written, missing ones left out. */
export function texts(list: readonly unknown[], type: ValueType): string[] {
  const item = itemType(type) ?? { kind: 'any' }
  return present(list).map((value) => writeInner(value, item))
}
