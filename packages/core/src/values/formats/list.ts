import { listToText } from './kinds.js'
import { between } from './format.js'
import { texts } from './items.js'
export const list = listToText({
  name: 'list',
  about: 'items with a separator; default: a comma and a space',
  parameters: [{ name: 'separator', kind: 'text', optional: true }],
  write: (list, [separator = ', '], _, type) => between(texts(list, type), () => String(separator)),
})
