import { listToNumber } from './kinds.js'
import { exactSum, numbersOf } from './statistics.js'
export const mean = listToNumber({
  name: 'mean',
  about: 'the numbers’ mean',
  parameters: [],
  write: (list) => {
    const numbers = numbersOf(list)
    return numbers.length === 0 ? null : exactSum(numbers) / numbers.length
  },
})
