import { listToText } from './kinds.js'
import { marked } from './marked.js'
import { texts } from './items.js'
export const bullets = listToText({
  name: 'bullets',
  about: 'a line an item, each after "- "',
  parameters: [],
  write: (list, _, __, type) => marked(texts(list, type), () => '- '),
})
