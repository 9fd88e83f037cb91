import { numberFormat } from './kinds.js'

export const ordinal = numberFormat({
  name: 'ordinal',
  about: '1st, 2nd, 3rd',
  parameters: [],
  write: (value, _, { locale }) => locale.ordinal(value),
})
