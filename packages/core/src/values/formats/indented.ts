import { textFormat } from './kinds.js'

export const indented = textFormat({
  name: 'indented',
  about: 'every non-empty line indented by N spaces',
  parameters: [{ name: 'blanks', kind: 'integer', least: 0, most: 200 }],
  write: (text, [blanks = 0]) => text.replace(/^(?=.*\S)/gm, ' '.repeat(Number(blanks))),
})
