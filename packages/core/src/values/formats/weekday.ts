import { dateFormat } from './kinds.js'

export const weekday = dateFormat({
  name: 'weekday',
  about: 'the name of the day',
  parameters: [],
  write: (iso, _, { locale }) => locale.weekday(iso),
})
