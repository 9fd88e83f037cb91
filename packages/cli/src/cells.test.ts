import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { readTable } from '@dunelight/node'
import Papa from 'papaparse'
import { dunelight } from '../../../test/command.js'

const folder = mkdtempSync(join(tmpdir(), 'cells-'))
const pathOf = (name: string) => join(folder, name)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const FORMULAS = ['=1+1', '+cmd', '-x', '@SUM(A1)', '=HYPERLINK("http://x.example")']
const HARMLESS = ['-5', '+3.2', '-1,890.5', '1e5', 'a=b', '- ', 'rust']

beforeAll(() => {
  mkdirSync(pathOf('prompts'))
  mkdirSync(pathOf('outputs'))
  writeFileSync(pathOf('outputs/o.yaml'), 'kind: fields\nfields: { note: text }\n')
  writeFileSync(pathOf('prompts/p.yaml'), 'title: P\noutput: o\nvariables: { note: text }\nturns: [{ user: "{note}" }]\n')
  const notes = [...FORMULAS, ...HARMLESS]
  writeFileSync(pathOf('in.csv'), Papa.unparse({ fields: ['no', 'note'], data: notes.map((note, i) => [i + 1, note]) }))
  writeFileSync(
    pathOf('replies.jsonl'),
    notes.map((note, i) => `${JSON.stringify({ row: i + 1, reply: JSON.stringify({ note }) })}\n`).join(''),
  )
})

async function notesIn(path: string, column = 'note'): Promise<unknown[]> {
  const notes: unknown[] = []
  for await (const { headings, rows } of readTable(path))
    notes.push(...rows.map((row) => (row as readonly unknown[])[headings.indexOf(column)]))
  return notes.map((note) => (typeof note === 'string' ? note.trim() : note))
}

describe('cells that a spreadsheet would run as formulas', () => {
  const escaped = [...FORMULAS.map((note) => `'${note}`), ...HARMLESS.map((note) => note.trim())]

  test.each(['.csv', '.tsv', '.xlsx'])('begin with an apostrophe in %s', async (ending) => {
    expect(dunelight('run', folder, 'p', '--records', pathOf('in.csv'), '--to', pathOf(`out${ending}`)).code).toBe(0)
    expect(await notesIn(pathOf(`out${ending}`))).toEqual(escaped)
    const raw = pathOf(`raw${ending}`)
    expect(dunelight('run', folder, 'p', '--records', pathOf('in.csv'), '--raw-cells', '--to', raw).code).toBe(0)
    expect(await notesIn(raw)).toEqual([...FORMULAS, ...HARMLESS.map((note) => note.trim())])
  })

  test('are recognised in linear time', async () => {
    const long = `-${'1'.repeat(300_000)}x`
    writeFileSync(pathOf('long.csv'), `no,note\n1,${long}\n`)
    expect(dunelight('run', folder, 'p', '--records', pathOf('long.csv'), '--to', pathOf('long-out.csv')).code).toBe(0)
    expect(await notesIn(pathOf('long-out.csv'))).toEqual([`'${long}`])
  })

  test('are unchanged in JSON Lines', () => {
    dunelight('run', folder, 'p', '--records', pathOf('in.csv'), '--to', pathOf('out.jsonl'))
    expect(readFileSync(pathOf('out.jsonl'), 'utf8')).toContain('"text":"=1+1"')
  })

  test('of answers too', async () => {
    const words = ['read', folder, 'p', '--replies', pathOf('replies.jsonl'), '--records', pathOf('in.csv'), '--to']
    expect(dunelight(...words, pathOf('read.csv')).code).toBe(0)
    expect(await notesIn(pathOf('read.csv'), 'answer.note')).toEqual(escaped)
    dunelight(...words, pathOf('read-raw.csv'), '--raw-cells')
    expect((await notesIn(pathOf('read-raw.csv'), 'answer.note'))[0]).toBe('=1+1')
  })
})
