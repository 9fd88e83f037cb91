import { textFormat } from './kinds.js'
import { cutSigns } from './cut.js'
export const chars = textFormat({
  name: 'chars',
  about: 'at most N characters, cut at a word, with an ellipsis if cut',
  parameters: [{ name: 'characters', kind: 'integer', least: 1 }],
  write: (text, [most = 1]) => cutSigns(text, Number(most)),
})
