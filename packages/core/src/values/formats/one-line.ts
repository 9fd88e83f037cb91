import { textFormat } from './kinds.js'

export const oneLine = textFormat({
  name: 'one-line',
  about: 'on one line: every run of blanks and line ends becomes one blank',
  parameters: [],
  write: (text) => text.trim().replace(/\s+/g, ' '),
})
