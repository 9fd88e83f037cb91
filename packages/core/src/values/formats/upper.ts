import { textFormat } from './kinds.js'

export const upper = textFormat({
  name: 'upper',
  about: 'capitals',
  parameters: [],
  write: (text, _, { locale }) => locale.upper(text),
})
