import { numberFormat } from './kinds.js'

export const number = numberFormat({
  name: 'number',
  about: 'grouped, with N digits after the point, up to three where none are said',
  parameters: [{ name: 'digits', kind: 'integer', optional: true, least: 0, most: 20 }],
  write: (value, [digits], { locale }) => locale.number(value, digits === undefined ? undefined : Number(digits)),
})
