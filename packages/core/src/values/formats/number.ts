import { numberFormat } from './kinds.js'

export const number = numberFormat({
  name: 'number',
  about: 'grouped, with N decimal digits; default: up to three',
  parameters: [{ name: 'digits', kind: 'integer', optional: true, least: 0, most: 20 }],
  write: (value, [digits], { locale }) => locale.number(value, digits === undefined ? undefined : Number(digits)),
})
