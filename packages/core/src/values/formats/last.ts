import { listToList } from './kinds.js'

export const last = listToList({
  name: 'last',
  about: 'the last N items',
  parameters: [{ name: 'items', kind: 'integer', least: 0 }],
  write: (list, [n = 0]) => (Number(n) === 0 ? [] : list.slice(-Number(n))),
})
