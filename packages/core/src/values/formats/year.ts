import { dateFormat } from './kinds.js'

export const year = dateFormat({
  name: 'year',
  about: 'the year only',
  parameters: [],
  write: (iso) => iso.slice(0, 4),
})
