import { listToNumber } from './kinds.js'
import { median, numbersOf } from './statistics.js'
export const medianFormat = listToNumber({
  name: 'median',
  about: 'the middle number',
  parameters: [],
  write: (list) => median(numbersOf(list)),
})
