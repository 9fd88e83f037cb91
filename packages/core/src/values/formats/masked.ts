import { textFormat } from './kinds.js'
export const masked = textFormat({
  name: 'masked',
  about: 'e-mail addresses, telephone, card and account numbers and listed names replaced by [email 1] and the like',
  parameters: [],
  write: (text, _, { masks }) => masks.mask(text),
})
