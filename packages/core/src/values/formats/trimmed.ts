import { textFormat } from './kinds.js'

export const trimmed = textFormat({
  name: 'trimmed',
  about: 'without spaces and line breaks at both ends',
  parameters: [],
  write: (text) => text.trim(),
})
