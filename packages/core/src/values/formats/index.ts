import type { Format } from './format.js'
import { upper } from './upper.js'
import { lower } from './lower.js'
import { title } from './title.js'
import { sentence } from './sentence.js'
import { trimmed } from './trimmed.js'
import { oneLine } from './one-line.js'
import { words } from './words.js'
import { chars } from './chars.js'
import { quoted } from './quoted.js'
import { code } from './code.js'
import { indented } from './indented.js'
import { fenced } from './fenced.js'
import { masked } from './masked.js'
import { list } from './list.js'
import { sentenceList } from './sentence-list.js'
import { bullets } from './bullets.js'
import { numbered } from './numbered.js'
import { perLine } from './per-line.js'
import { sorted } from './sorted.js'
import { unique } from './unique.js'
import { first } from './first.js'
import { last } from './last.js'
import { count } from './count.js'
import { sum } from './sum.js'
import { mean } from './mean.js'
import { medianFormat } from './median.js'
import { least } from './least.js'
import { most } from './most.js'
import { table } from './table.js'
import { csv } from './csv.js'
import { json } from './json.js'
import { jsonInner } from './json-inner.js'
import { yaml } from './yaml.js'
import { column } from './column.js'
import { number } from './number.js'
import { percent } from './percent.js'
import { currency } from './currency.js'
import { ordinal } from './ordinal.js'
import { plain } from './plain.js'
import { date } from './date.js'
import { weekday } from './weekday.js'
import { year } from './year.js'
import { either } from './either.js'

/**
 * All formats of slots, in the order of the reference.
 *
 * @example
 * FORMATS.find(({ name }) => name === 'upper').name // => 'upper'
 */
export const FORMATS: readonly Format[] = Object.freeze([
  upper,
  lower,
  title,
  sentence,
  trimmed,
  oneLine,
  words,
  chars,
  quoted,
  code,
  indented,
  fenced,
  masked,
  list,
  sentenceList,
  bullets,
  numbered,
  perLine,
  sorted,
  unique,
  first,
  last,
  count,
  sum,
  mean,
  medianFormat,
  least,
  most,
  table,
  csv,
  json,
  jsonInner,
  yaml,
  column,
  number,
  percent,
  currency,
  ordinal,
  plain,
  date,
  weekday,
  year,
  either,
])
