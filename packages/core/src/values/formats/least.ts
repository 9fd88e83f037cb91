import { listToNumber } from './kinds.js'
import { numbersOf } from './statistics.js'
export const least = listToNumber({
  name: 'least',
  about: 'the smallest number',
  parameters: [],
  write: (list) => {
    const numbers = numbersOf(list)
    return numbers.length === 0 ? null : Math.min(...numbers)
  },
})
