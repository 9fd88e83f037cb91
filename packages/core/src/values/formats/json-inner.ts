import { anyToText } from './kinds.js'
import { write } from '../write.js'
export const jsonInner = anyToText(
  {
    name: 'json-inner',
    about: 'as JSON without the outer quotes, for use inside a JSON string',
    parameters: [],
    write: (value, _, __, type) => JSON.stringify(typeof value === 'string' ? value : write(value, type)).slice(1, -1),
  },
  'any value',
  () => true,
)
