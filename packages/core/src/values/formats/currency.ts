import { numberFormat } from './kinds.js'

export const currency = numberFormat({
  name: 'currency',
  about: 'an amount with its currency, EUR 1,890.50',
  parameters: [{ name: 'code', kind: 'text', refuses: (code) => !/^[A-Z]{3}$/.test(String(code)) }],
  write: (value, [code = ''], { locale }) => locale.currency(value, String(code)),
})
