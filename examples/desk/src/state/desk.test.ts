import { expect, test } from '@jest/globals'
import { Desk } from './desk.js'
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

const turnOf = (desk: Desk) => desk.state.shown.sheet.rendering?.turns[0]?.text

test('a table that fits is found, and each row shows its own sheet', async () => {
  const desk = await Desk.open(serverOf().service)
  expect(desk.state.table.path).toBe('data/objects.csv')
  expect(turnOf(desk)).toBe('MH-1, made in 1890')
  desk.selection.chooseRow(1)
  expect(turnOf(desk)).toBe('MH-2, made in 1744')
  await desk.selection.choosePrompt('note')
  expect([desk.state.table.table, desk.state.selection.view]).toEqual([undefined, 'hand'])
  desk.editing.fillIn({ text: 'a loose handle' })
  expect(turnOf(desk)).toBe('a loose handle')
})

test('a change replaces the parts that it touches and no other', async () => {
  const desk = await Desk.open(serverOf().service)
  const before = desk.state
  desk.editing.point({ file: CARD, start: 0, end: 5 })
  expect(desk.state.shown).toBe(before.shown)
  expect(desk.state.table).toBe(before.table)
  desk.selection.chooseRow(1)
  expect(desk.state.shown.subject).toBe(before.shown.subject)
  expect(desk.state.shown.sheet).not.toBe(before.shown.sheet)
  expect(desk.state.library).toBe(before.library)
  let notified = 0
  desk.store.subscribe(() => notified++)
  desk.editing.write(CARD, DATA.files[CARD]!.replace('made in', 'of'))
  expect([notified, turnOf(desk)]).toEqual([1, 'MH-2, of 1744'])
})

test('an edited text with an error keeps the sheet before it', async () => {
  const desk = await Desk.open(serverOf().service)
  desk.editing.write(CARD, DATA.files[CARD]!.replace('{made}', '{mad'))
  desk.editing.write(CARD, DATA.files[CARD]!.replace('{made}', '{ma'))
  expect([turnOf(desk), desk.state.shown.before?.turns[0]?.text]).toEqual([undefined, 'MH-1, made in 1890'])
  desk.selection.chooseRow(1)
  expect(desk.state.shown.before).toBeUndefined()
})

test('a file written on the disk meanwhile is a conflict, and no text is lost', async () => {
  const { disk, service } = serverOf()
  const desk = await Desk.open(service)
  const mine = DATA.files[CARD]!.replace('made in', 'of')
  desk.editing.write(CARD, mine)
  disk.files[CARD] = DATA.files[CARD]!.replace('made in', 'from')
  disk.marks[CARD] = '7'
  await desk.editing.lookAgain()
  expect([desk.state.library.files[CARD], desk.state.note?.message]).toEqual([mine, `changed on the disk: ${CARD}`])
  await desk.editing.saveAll()
  expect(desk.state.library.conflict).toEqual({ path: CARD, theirs: disk.files[CARD], mark: '7' })
  await desk.editing.save(CARD, '7')
  expect([disk.files[CARD], desk.state.library.conflict, desk.editing.edited]).toEqual([mine, undefined, []])
})

test('of two choices made at once the later one is shown', async () => {
  const desk = await Desk.open(serverOf().service)
  await Promise.all([
    desk.selection.choosePrompt('note'),
    desk.table.drop(new File(['text\nmoss on the lid\n'], 'notes.csv')),
    desk.selection.choosePrompt('card'),
  ])
  expect([desk.state.selection.wanted.prompt, turnOf(desk)]).toEqual(['card', 'MH-1, made in 1890'])
})
