import { textFormat } from './kinds.js'
import { around } from './format.js'
export const quoted = textFormat({
  name: 'quoted',
  about: 'in double quotes; inner double quotes become single quotes',
  parameters: [],
  write: (text) => around('"', text.replaceAll('"', "'"), '"'),
})
