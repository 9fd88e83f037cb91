import { listToText } from './kinds.js'
import { between } from './format.js'
import { texts } from './items.js'
export const sentenceList = listToText({
  name: 'sentence-list',
  about: 'a, b and c',
  parameters: [{ name: 'word', kind: 'text', optional: true }],
  write: (list, [word], { locale }, type) => {
    const items = texts(list, type)
    return between(items, locale.sentenceList(items, word === undefined ? undefined : String(word)))
  },
})
