import { anyToText } from './kinds.js'
import { stringify } from 'yaml'
import { toJson } from '../write.js'
export const yaml = anyToText(
  {
    name: 'yaml',
    about: 'YAML in block style',
    parameters: [],
    write: (value) => stringify(toJson(value), { lineWidth: 0, blockQuote: 'literal' }).replace(/\n$/, ''),
  },
  'any value',
  () => true,
)
