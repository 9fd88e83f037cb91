import { listToNumber } from './kinds.js'
import { numbersOf } from './statistics.js'
export const most = listToNumber({
  name: 'most',
  about: 'the largest number',
  parameters: [],
  write: (list) => {
    const numbers = numbersOf(list)
    return numbers.length === 0 ? null : Math.max(...numbers)
  },
})
