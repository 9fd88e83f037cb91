import { expect, test } from '@jest/globals'
import { Bench } from './bench.js'
import type { LibraryData, Saved, Service } from './service.js'

const CARD = 'prompts/card.yaml'
const DATA: LibraryData = {
  folder: 'museum',
  root: '/museum',
  files: {
    [CARD]: 'title: Card\nvariables: { number: text, made: integer }\nturns:\n  - user: "{number}, made in {made}"\n',
    'prompts/note.yaml': 'title: Note\nvariables: { text: text }\nturns:\n  - user: "{text}"\n',
  },
  marks: { [CARD]: '1', 'prompts/note.yaml': '1' },
  attachments: {},
  tables: {},
  problems: [],
  data: [{ path: 'data/objects.csv', bytes: 40 }],
}

/** A server with one table, whose files can be written behind the page's back. */
function serverOf() {
  const disk = { files: { ...DATA.files } as Record<string, string>, marks: { ...DATA.marks } as Record<string, string> }
  const service = {
    library: () => Promise.resolve({ ...DATA, files: { ...disk.files }, marks: { ...disk.marks } }),
    marks: () => Promise.resolve({ ...disk.marks }),
    table: () => Promise.resolve({ stream: new Blob(['number,made\nMH-1,1890\nMH-2,1744\n']).stream(), format: 'csv' }),
    given: () => Promise.resolve({}),
    save: (path: string, text: string, was: string | null): Promise<Saved> => {
      if (disk.marks[path] !== was) return Promise.resolve({ state: 'changed', mark: disk.marks[path]!, text: disk.files[path]! })
      disk.files[path] = text
      disk.marks[path] = `${Number(was) + 1}`
      return Promise.resolve({ state: 'saved', mark: disk.marks[path] })
    },
  }
  return { disk, service: service as unknown as Service }
}

const turnOf = (bench: Bench) => bench.state.shown.sheet.rendering?.turns[0]?.text

test('a table that fits is found, and each row shows its own sheet', async () => {
  const bench = await Bench.open(serverOf().service)
  expect(bench.state.table.path).toBe('data/objects.csv')
  expect(turnOf(bench)).toBe('MH-1, made in 1890')
  bench.selection.chooseRow(1)
  expect(turnOf(bench)).toBe('MH-2, made in 1744')
  await bench.selection.choosePrompt('note')
  expect([bench.state.table.table, bench.state.selection.view]).toEqual([undefined, 'hand'])
  bench.editing.fillIn({ text: 'a loose handle' })
  expect(turnOf(bench)).toBe('a loose handle')
})

test('a change replaces the parts that it touches and no other', async () => {
  const bench = await Bench.open(serverOf().service)
  const before = bench.state
  bench.editing.point({ file: CARD, start: 0, end: 5 })
  expect(bench.state.shown).toBe(before.shown)
  expect(bench.state.table).toBe(before.table)
  bench.selection.chooseRow(1)
  expect(bench.state.shown.subject).toBe(before.shown.subject)
  expect(bench.state.shown.sheet).not.toBe(before.shown.sheet)
  expect(bench.state.library).toBe(before.library)
  let told = 0
  bench.store.subscribe(() => told++)
  bench.editing.write(CARD, DATA.files[CARD]!.replace('made in', 'of'))
  expect([told, turnOf(bench)]).toEqual([1, 'MH-2, of 1744'])
})

test('an edited text with an error keeps the sheet before it', async () => {
  const bench = await Bench.open(serverOf().service)
  bench.editing.write(CARD, DATA.files[CARD]!.replace('{made}', '{mad'))
  bench.editing.write(CARD, DATA.files[CARD]!.replace('{made}', '{ma'))
  expect([turnOf(bench), bench.state.shown.before?.turns[0]?.text]).toEqual([undefined, 'MH-1, made in 1890'])
  bench.selection.chooseRow(1)
  expect(bench.state.shown.before).toBeUndefined()
})

test('a file written on the disk meanwhile is a conflict, and no text is lost', async () => {
  const { disk, service } = serverOf()
  const bench = await Bench.open(service)
  const mine = DATA.files[CARD]!.replace('made in', 'of')
  bench.editing.write(CARD, mine)
  disk.files[CARD] = DATA.files[CARD]!.replace('made in', 'from')
  disk.marks[CARD] = '7'
  await bench.editing.lookAgain()
  expect([bench.state.library.files[CARD], bench.state.note?.says]).toEqual([mine, `changed on the disk: ${CARD}`])
  await bench.editing.saveAll()
  expect(bench.state.library.conflict).toEqual({ path: CARD, theirs: disk.files[CARD], mark: '7' })
  await bench.editing.save(CARD, '7')
  expect([disk.files[CARD], bench.state.library.conflict, bench.editing.edited]).toEqual([mine, undefined, []])
})

test('of two choices made at once the later one is shown', async () => {
  const bench = await Bench.open(serverOf().service)
  await Promise.all([
    bench.selection.choosePrompt('note'),
    bench.table.drop(new File(['text\nmoss on the lid\n'], 'notes.csv')),
    bench.selection.choosePrompt('card'),
  ])
  expect([bench.state.selection.wanted.prompt, turnOf(bench)]).toEqual(['card', 'MH-1, made in 1890'])
})
