import type { Format } from './format.js'
import { isName } from '../names.js'
import { TEXT } from '../types.js'

/** The text between `<tag>` and `</tag>`, each on its own line. The compiler puts the tags there, since the tag may come from the path. */
export const fenced: Format = {
  name: 'fenced',
  about: 'between <tag> and </tag>; nothing inside can close the tag',
  takes: 'any value',
  parameters: [{ name: 'tag', kind: 'text', optional: true, refuses: (tag) => !isName(String(tag)) }],
  gives: () => TEXT,
  write: (value) => value,
}
