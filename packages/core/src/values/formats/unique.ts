import { listToList } from './kinds.js'
import { toJson } from '../write.js'
export const unique = listToList({
  name: 'unique',
  about: 'each item once, at its first position',
  parameters: [],
  write: (list) => [...new Map(list.map((item) => [typeof item === 'object' ? JSON.stringify(toJson(item)) : item, item])).values()],
})
