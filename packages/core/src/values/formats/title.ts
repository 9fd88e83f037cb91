import { textFormat } from './kinds.js'

export const title = textFormat({
  name: 'title',
  about: 'the first letter of every word in upper case',
  parameters: [],
  write: (text, _, { locale }) =>
    text.replace(/(^|[\s\-–—/("“])(\p{L})/gu, (_match, before: string, letter: string) => before + locale.upper(letter)),
})
