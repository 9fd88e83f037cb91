import { textFormat } from './kinds.js'

export const title = textFormat({
  name: 'title',
  about: 'the first letter of every word up, the rest untouched',
  parameters: [],
  write: (text, _, { locale }) =>
    text.replace(/(^|[\s\-–—/("“])(\p{L})/gu, (_match, before: string, letter: string) => before + locale.upper(letter)),
})
