import { textFormat } from './kinds.js'

export const oneLine = textFormat({
  name: 'one-line',
  about: 'on one line: spaces and line breaks become single spaces',
  parameters: [],
  write: (text) => text.trim().replace(/\s+/g, ' '),
})
