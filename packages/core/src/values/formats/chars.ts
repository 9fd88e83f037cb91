import { textFormat } from './kinds.js'
import { cutSigns } from './cut.js'
export const chars = textFormat({
  name: 'chars',
  about: 'at most N signs, cut at a word, an ellipsis where it was cut',
  parameters: [{ name: 'signs', kind: 'integer', least: 1 }],
  write: (text, [most = 1]) => cutSigns(text, Number(most)),
})
