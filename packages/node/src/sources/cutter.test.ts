import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from '@jest/globals'
import { CsvRows, type Row } from '@dunelight/tables'
import fc from 'fast-check'
import { cuts, cuttingOf } from './cutter.js'

const character = fc.constantFrom('a', '"', ',', ';', '\t', ' ', '\n', '\r\n', '\r', 'é', '""')
const cell = fc.array(character, { maxLength: 6 }).map((all) => all.join(''))
const table = fc.array(fc.array(cell, { minLength: 2, maxLength: 3 }), { minLength: 1, maxLength: 8 })

function parsed(bytes: Uint8Array): readonly Row[] {
  const rows = new CsvRows(',', { name: '' })
  return [...rows.add({ text: Buffer.from(bytes).toString('utf8'), plain: true, decodePiece: undefined }), ...rows.end()]
}

const quoted = (text: string) => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text)

test('a table that is cut anywhere gives the rows that it gives whole, and they are counted before they are read', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'dunelight-cut-'))
  const path = join(folder, 'table.csv')
  // Longer than one block, so that the cuts fall anywhere.
  const filler = `${'x'.repeat(1000)},y\n`.repeat(131)
  await fc.assert(
    fc.asyncProperty(table, fc.constantFrom('\n', '\r\n', '\r'), fc.nat(400), async (rows, newline, room) => {
      const text = `h,k\n${filler.slice(room).replace(/^[^,]*/, 'x')}${`${rows.map((row) => row.map(quoted).join(',')).join(newline)}${newline}`.repeat(9)}`
      writeFileSync(path, text)
      const cutting = await cuttingOf({ from: path })
      const read: Row[] = []
      for await (const cut of cuts(path, cutting ?? { from: 0, delimiter: ',' }, { name: path })) {
        expect(read).toHaveLength(cut.rows)
        read.push(...parsed(cut.bytes))
      }
      expect(read).toEqual(parsed(Buffer.from(text)))
    }),
    { numRuns: 300 },
  )
  rmSync(folder, { recursive: true })
})
