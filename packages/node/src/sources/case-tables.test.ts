import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from '@jest/globals'
import { openLibrary, tokenCounter } from '@dunelight/node'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-cases-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
mkdirSync(join(folder, 'examples'))
mkdirSync(join(folder, 'data'))

const open = async (file: string, text: string, pick = '') => {
  writeFileSync(join(folder, 'data', file), text)
  writeFileSync(join(folder, 'examples/s.yaml'), `fields: { note: text, grade: text }\nfrom: ../data/${file}\n${pick}`)
  const library = await openLibrary(folder)
  return { rows: library.sets.get('s')!.rows, says: library.problems.map((p) => p.message) }
}

describe('cases of a table', () => {
  test.each([
    ['notes.csv', 'Note,Grade\n"Rim, cracked",sound\n\nLid,watch\n'],
    ['notes.tsv', 'note\tGRADE\nRim, cracked\tsound\nLid\twatch\n'],
    ['notes.jsonl', '{"note":"Rim, cracked","grade":"sound"}\r\n\r\n{"note":"Lid","grade":"watch"}\r\n'],
    ['notes.json', '[{"note":"Rim, cracked","grade":"sound"},{"note":"Lid","grade":"watch"}]'],
    ['notes.yaml', '- { note: "Rim, cracked", grade: sound }\n- note: Lid\n  grade: watch\n'],
  ])('are read from %s', async (file, text) => {
    expect(await open(file, text)).toEqual({
      says: [],
      rows: [
        ['Rim, cracked', 'sound'],
        ['Lid', 'watch'],
      ],
    })
  })

  test.each([
    ['notes.jsonl', '{"note":"x","grade":"y"}\n{"note":', 'cannot read cases from "data/notes.jsonl": line 2 is not valid JSON'],
    ['notes.json', '{"note":"x"}', 'it has no list of cases'],
    ['notes.csv', '', 'has no headings'],
    ['notes.csv', 'Note,Grade\nonly one\n', 'data/notes.csv: row 1 has 1 cells, but there are 2 headings'],
    ['notes.txt', 'x', 'cases are read from .csv, .tsv, .jsonl, .json and .yaml'],
    ['notes.jsonl', '{"note":"x"}\n', 'case 1: "grade" is missing'],
  ])('in %s that cannot be used say why', async (file, text, message) => {
    expect((await open(file, text)).says.join('\n')).toContain(message)
  })
})

describe('budgets', () => {
  test('are counted in tokens, orders to models in the text included', async () => {
    const count = await tokenCounter()
    expect([count('The rim is cracked.'), count('<|endoftext|>') > 1, count('')]).toEqual([5, true, 0])
    expect((await open('notes.csv', 'Note,Grade\nRim,sound\n', 'pick: { budget: 600 tokens }\n')).says).toEqual([])
  })
})
