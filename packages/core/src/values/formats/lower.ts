import { textFormat } from './kinds.js'

export const lower = textFormat({
  name: 'lower',
  about: 'small letters',
  parameters: [],
  write: (text, _, { locale }) => locale.lower(text),
})
