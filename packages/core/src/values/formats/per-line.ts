import { anyToText } from './kinds.js'
import { between } from './format.js'
import { isMissing, isRecord } from '../data.js'
import { itemType, type ValueType } from '../types.js'
import { fieldsOf, writeInner } from '../write.js'
function lineOf(value: unknown, type: ValueType): string {
  const item = itemType(type) ?? { kind: 'any' }
  if (!isRecord(value)) return writeInner(value, item)
  const fields = fieldsOf(value, item.kind === 'record' ? item.fields : undefined)
  return fields.map((f) => `${f.key}: ${writeInner(f.value, f.type)}`).join(', ')
}

export const perLine = anyToText(
  {
    name: 'per-line',
    about: 'a line an item; a record as key: value, key: value',
    parameters: [],
    write: (list, _, __, type) =>
      between(
        (list as unknown[]).filter((v) => !isMissing(v)).map((value) => lineOf(value, type)),
        () => '\n',
      ),
  },
  'lists and tables',
  (type) => type.kind === 'list' || type.kind === 'table',
)
