import { textFormat } from './kinds.js'

export const trimmed = textFormat({
  name: 'trimmed',
  about: 'without blanks and line ends around it',
  parameters: [],
  write: (text) => text.trim(),
})
