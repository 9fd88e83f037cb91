import { listToNumber } from './kinds.js'
import { exactSum, numbersOf } from './statistics.js'
export const sum = listToNumber({
  name: 'sum',
  about: 'the numbers added up',
  parameters: [],
  write: (list) => exactSum(numbersOf(list)),
})
