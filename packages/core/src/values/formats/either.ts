import { booleanFormat } from './kinds.js'

export const either = booleanFormat({
  name: 'either',
  about: 'one text for yes, another for no',
  parameters: [
    { name: 'yes', kind: 'text' },
    { name: 'no', kind: 'text' },
  ],
  write: (value, [yes = '', no = '']) => String(value ? yes : no),
})
