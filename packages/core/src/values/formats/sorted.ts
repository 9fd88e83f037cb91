import { listToList } from './kinds.js'
import { isMissing } from '../data.js'
import { compareItems } from '../compare.js'
export const sorted = listToList({
  name: 'sorted',
  about: 'items in order: text by code point, numbers and dates by size',
  parameters: [],
  write: (list) => [...list].filter((v) => !isMissing(v)).sort(compareItems),
})
