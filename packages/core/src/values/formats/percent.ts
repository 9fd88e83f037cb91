import { numberFormat } from './kinds.js'

export const percent = numberFormat({
  name: 'percent',
  about: '0.25 as 25%',
  parameters: [{ name: 'digits', kind: 'integer', optional: true, least: 0, most: 20 }],
  write: (value, [digits], { locale }) => locale.percent(value, digits === undefined ? undefined : Number(digits)),
})
