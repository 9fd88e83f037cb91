import { textFormat } from './kinds.js'

export const sentence = textFormat({
  name: 'sentence',
  about: 'the first letter in upper case',
  parameters: [],
  write: (text, _, { locale }) => text.replace(/\p{L}/u, (letter) => locale.upper(letter)),
})
