import { expect, test } from '@jest/globals'
import { CsvRows, type Row } from '@dunelight/tables'
import fc from 'fast-check'
import Papa from 'papaparse'
import { wholeRows } from './cutter.js'

const sign = fc.constantFrom('a', '"', ',', ';', '\t', ' ', '\n', '\r\n', 'é', '""')
const cell = fc.array(sign, { maxLength: 6 }).map((signs) => signs.join(''))
const table = fc.array(fc.array(cell, { minLength: 2, maxLength: 3 }), { minLength: 1, maxLength: 8 })

function parsed(bytes: Uint8Array): readonly Row[] {
  const rows = new CsvRows(',')
  return [...rows.add({ text: Buffer.from(bytes).toString('utf8'), plain: true, mend: undefined }), ...rows.end()]
}

test('a table that is cut anywhere gives the rows that it gives whole, and they are counted before they are read', () => {
  fc.assert(
    fc.property(table, fc.constantFrom('\n', '\r\n', '\r'), fc.nat(), (rows, newline, where) => {
      const bytes = Buffer.from(`${Papa.unparse(rows, { newline })}${newline}`)
      const part = bytes.subarray(0, where % (bytes.length + 1))
      const { end, count } = wholeRows(part, ',', false)
      const before = parsed(bytes.subarray(0, end))
      expect(before).toHaveLength(count)
      expect([...before, ...parsed(bytes.subarray(end))]).toEqual(parsed(bytes))
      expect(wholeRows(bytes, ',', true)).toEqual({ end: bytes.length, count: parsed(bytes).length })
    }),
    { numRuns: 3000 },
  )
})
