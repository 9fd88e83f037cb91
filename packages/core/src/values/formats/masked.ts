import { textFormat } from './kinds.js'
import { mask } from '../mask.js'
export const masked = textFormat({
  name: 'masked',
  about: 'e-mail addresses, phone, card and account numbers replaced by [email 1] and the like',
  parameters: [],
  write: (text, _, { masks }) => mask(text, masks),
})
