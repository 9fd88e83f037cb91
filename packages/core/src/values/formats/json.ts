import { anyToText } from './kinds.js'
import { toJson } from '../write.js'
export const json = anyToText(
  {
    name: 'json',
    about: 'a JSON value, compact or indented by N',
    parameters: [{ name: 'blanks', kind: 'integer', optional: true, least: 0, most: 20 }],
    write: (value, [blanks]) => JSON.stringify(toJson(value), null, blanks === undefined ? undefined : Number(blanks)),
  },
  'any value',
  () => true,
)
