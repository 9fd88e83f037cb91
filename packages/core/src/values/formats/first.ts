import { listToList } from './kinds.js'

export const first = listToList({
  name: 'first',
  about: 'the first N items',
  parameters: [{ name: 'items', kind: 'integer', least: 0 }],
  write: (list, [n = 0]) => list.slice(0, Number(n)),
})
