import { numberFormat } from './kinds.js'
import { plainNumber } from '../numbers.js'
export const plain = numberFormat({
  name: 'plain',
  about: 'digits without grouping',
  parameters: [],
  write: (value) => plainNumber(value),
})
