import { listToText } from './kinds.js'
import { marked } from './marked.js'
import { texts } from './items.js'
export const numbered = listToText({
  name: 'numbered',
  about: 'a line an item, numbered from 1',
  parameters: [],
  write: (list, _, __, type) => marked(texts(list, type), (i) => `${i + 1}. `),
})
