import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { readTable } from '@dunelight/node'
import Papa from 'papaparse'
import { dunelight } from '../../../test/command.js'

const folder = mkdtempSync(join(tmpdir(), 'cells-'))
const at = (name: string) => join(folder, name)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const FORMULAS = ['=1+1', '+cmd', '-x', '@SUM(A1)', '=HYPERLINK("http://x.example")']
const HARMLESS = ['-5', '+3.2', '-1,890.5', '1e5', 'a=b', '- ', 'rust']

beforeAll(() => {
  mkdirSync(at('prompts'))
  mkdirSync(at('outputs'))
  writeFileSync(at('outputs/o.yaml'), 'kind: fields\nfields: { note: text }\n')
  writeFileSync(at('prompts/p.yaml'), 'title: P\noutput: o\nvariables: { note: text }\nturns: [{ user: "{note}" }]\n')
  const notes = [...FORMULAS, ...HARMLESS]
  writeFileSync(at('in.csv'), Papa.unparse({ fields: ['no', 'note'], data: notes.map((note, i) => [i + 1, note]) }))
  writeFileSync(
    at('replies.jsonl'),
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
    expect(dunelight('run', folder, 'p', '--records', at('in.csv'), '--to', at(`out${ending}`)).code).toBe(0)
    expect(await notesIn(at(`out${ending}`))).toEqual(escaped)
    const raw = at(`raw${ending}`)
    expect(dunelight('run', folder, 'p', '--records', at('in.csv'), '--raw-cells', '--to', raw).code).toBe(0)
    expect(await notesIn(raw)).toEqual([...FORMULAS, ...HARMLESS.map((note) => note.trim())])
  })

  test('are recognised in linear time', async () => {
    const long = `-${'1'.repeat(300_000)}x`
    writeFileSync(at('long.csv'), `no,note\n1,${long}\n`)
    expect(dunelight('run', folder, 'p', '--records', at('long.csv'), '--to', at('long-out.csv')).code).toBe(0)
    expect(await notesIn(at('long-out.csv'))).toEqual([`'${long}`])
  })

  test('are unchanged in JSON Lines', () => {
    dunelight('run', folder, 'p', '--records', at('in.csv'), '--to', at('out.jsonl'))
    expect(readFileSync(at('out.jsonl'), 'utf8')).toContain('"text":"=1+1"')
  })

  test('of answers too', async () => {
    const words = ['read', folder, 'p', '--replies', at('replies.jsonl'), '--records', at('in.csv'), '--to']
    expect(dunelight(...words, at('read.csv')).code).toBe(0)
    expect(await notesIn(at('read.csv'), 'answer.note')).toEqual(escaped)
    dunelight(...words, at('read-raw.csv'), '--raw-cells')
    expect((await notesIn(at('read-raw.csv'), 'answer.note'))[0]).toBe('=1+1')
  })
})
