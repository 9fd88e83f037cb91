import { textFormat } from './kinds.js'
import { cutWords } from './cut.js'
export const words = textFormat({
  name: 'words',
  about: 'at most N words, with an ellipsis if cut',
  parameters: [{ name: 'words', kind: 'integer', least: 1 }],
  write: (text, [most = 1]) => cutWords(text, Number(most)),
})
