import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { FirstRows } from './id-heading.js'

function firstRows(rows: readonly (readonly unknown[])[]): FirstRows {
  const first = new FirstRows()
  for (const row of rows) first.add(row)
  return first
}

/** The column that names records, of a table with one column. */
const isNamedBy = (heading: string, ...cells: unknown[]) => firstRows(cells.map((cell) => [cell])).idHeading([heading]) === heading

describe('records are named by the first column', () => {
  test.each([
    ['Reference', ['MH-0001', 'MH-0002']],
    ['Reference', ['2026/17', '2026/18']],
    ['Reference', ['a7f3', 'b001']],
    ['Object No.', [7, 8]],
    ['hiveId', ['north', 'south']],
    ['name', ['Hall', 'Net loft']],
  ])('with identifiers: %s %j', (heading, cells) => expect(isNamedBy(heading, ...cells)).toBe(true))

  test.each([
    ['Weight', ['12.5', '13.5']],
    ['Day', ['2026-11-29', '2026-11-30']],
    ['Width', ['12cm', '13cm']],
    ['Scan', ['a1.png', 'a2.png']],
    ['Note', ['Dent above port 1', 'Dent above port 2']],
    ['Phone number', ['017', '018']],
    ['Write to', ['a1@post.example', 'a2@post.example']],
    ['Reference', ['MH-1', 'MH-1']],
    ['Object No.', ['7', ' ']],
    ['', ['MH-1', 'MH-2']],
  ])('not by what is none: %s %j', (heading, cells) => expect(isNamedBy(heading, ...cells)).toBe(false))

  test('of several; rows behind the first 1,000 change nothing', () => {
    const cell = fc.constantFrom('MH-1', 'MH-2', 'MH-3', '', 'a hall', '12')
    fc.assert(
      fc.property(fc.array(fc.tuple(cell, cell, cell), { minLength: 1, maxLength: 5 }), (rows) => {
        const headings = ['a', 'b', 'c']
        const isGood = (i: number) => rows.every((row) => /^MH/.test(row[i]!)) && new Set(rows.map((row) => row[i])).size === rows.length
        expect(firstRows(rows).idHeading(headings)).toBe(headings.find((_, i) => isGood(i)))
      }),
    )
    const rows = Array.from({ length: 1000 }, (_, i) => [`MH-${i}`])
    expect(firstRows([...rows, ['MH-1'], ['']]).idHeading(['Ref'])).toBe('Ref')
    expect(firstRows([...rows.slice(1), ['MH-1'], ['']]).idHeading(['Ref'])).toBeUndefined()
  })

  test('few are held of a table of documents', () => {
    const first = firstRows([['x'.repeat(5_000_000)]])
    expect(first.full).toBe(true)
  })

  test('or why the one that seems meant does not', () => {
    expect(firstRows([['7'], ['8'], ['7']]).almost(['Object No.'])).toEqual({ heading: 'Object No.', cell: '7', rows: [1, 3] })
    expect(firstRows([['7'], [' ']]).almost(['Object No.'])).toEqual({ heading: 'Object No.', cell: '', rows: [2] })
    expect(firstRows([['MH-1'], ['MH-1']]).almost(['Weight'])).toBeUndefined()
  })
})
