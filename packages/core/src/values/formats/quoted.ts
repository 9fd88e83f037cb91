import { textFormat } from './kinds.js'
import { around } from './format.js'
export const quoted = textFormat({
  name: 'quoted',
  about: 'in double quotes, those within as single ones',
  parameters: [],
  write: (text) => around('"', text.replaceAll('"', "'"), '"'),
})
