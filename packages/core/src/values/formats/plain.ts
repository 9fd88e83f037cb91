import { numberFormat } from './kinds.js'
import { plainNumber } from '../numbers.js'
export const plain = numberFormat({
  name: 'plain',
  about: 'digits alone, no grouping',
  parameters: [],
  write: (value) => plainNumber(value),
})
