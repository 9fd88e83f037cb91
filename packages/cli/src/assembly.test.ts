import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { useModels } from '../../../test/asking.js'
import { dunelight } from '../../../test/command.js'
import { docxText, linesOf, text, useHouse } from '../../../test/house.js'

const house = useHouse()
const { asked, served } = useModels(house)

const change = (path: string, old: string, now: string) => {
  const before = text(`${house.house}/${path}`)
  expect(before).toContain(old)
  writeFileSync(`${house.house}/${path}`, before.replace(old, now))
}
const run = () => `${house.house}/runs/dossiers-1`
const review = (...words: string[]) => dunelight('review', run(), ...words)
const LOANS = ['L-7', 'L-8', 'L-9', 'L-10']

interface Part {
  record: string
  state: string
  accepted?: number
  isOutOfDate?: boolean
  candidates: { number: number; text: string; isEdited: boolean }[]
}
const partsOf = (record: string) =>
  review('--json')
    .out.split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Part)
    .filter((part) => part.record.startsWith(`${record}:`))
const partOf = (name: string) => partsOf(name.split(':')[0]!).find((part) => part.record === name)!

describe('asking for one record', () => {
  test('prints the document, and asks again only for what a change reaches', async () => {
    const server = await served('desk')
    const words = ['room-guides', '--record', 'D0', '--model', 'desk']
    const first = await asked(...words)
    expect([first.code, first.out]).toEqual([0, expect.stringMatching(/^# .+\n\n[^]+\n\n## Butter stamp with a heron, 1852\n\n/)])
    const whole = server.requests()
    const again = await asked(...words)
    expect([again.out, server.requests()]).toEqual([first.out, whole])
    change('prompts/guide/title.yaml', 'at most six words', 'at most five words')
    const changed = await asked(...words)
    expect(changed.err).toMatch(/desk: \d+ requests, \d+ cached/)
    // Three titles, perhaps more that are distinct, and a score of each.
    expect(server.requests() - whole).toBeGreaterThanOrEqual(3)
    expect(server.requests() - whole).toBeLessThanOrEqual(12)
    expect(changed.out.split('\n').slice(1)).toEqual(first.out.split('\n').slice(1))
  })

  test('gives the parts as data, and each event where more detail is wanted', () => {
    const { out } = dunelight('ask', house.house, 'room-guides', '--record', 'D0', '--json')
    const { answer, document, record } = JSON.parse(out) as { record: string; document: string; answer: Record<string, unknown> }
    expect([record, Object.keys(answer)]).toEqual(['D0', ['document', 'draft', 'critique', 'introduction', 'title', 'paragraph']])
    expect(answer['document']).toBe(document)
    expect(answer['paragraph']).toHaveLength(10)
    const { err } = dunelight('ask', house.house, 'room-guides', '--record', 'D0', '--verbose')
    expect(err).toMatch(/draft: asking[^]*draft: answered[^]*paragraph\.10: answered/)
  })

  test('names the part that has no usable answer', async () => {
    await served('empty', { faults: { empty: 1 } })
    const { code, out, err } = await asked('room-guides', '--record', 'D0', '--model', 'empty', '--corrections', '0')
    expect([code, out]).toEqual([3, ''])
    expect(err).toMatch(/the part "draft" has no answer: the reply is empty \[part-failed\]/)
  })

  test('is refused where a person has to choose, or where models differ', () => {
    const values = ['--set', 'loan={"number":"L-1","borrower":"b","leaves":"2027-01-01","returns":"2027-02-01","why":"w"}']
    const lists = ['--set', 'objects=[]', '--set', 'signers=[]']
    const { code, err } = dunelight('ask', house.house, 'loan-dossier', ...values, ...lists)
    expect([code, err]).toEqual([1, expect.stringMatching(/"heading" waits for a person’s choice \[part-waiting\]/)])
    change('prompts/guide/title.yaml', 'tags: [guide]', 'tags: [guide]\nsettings: { model: large }')
    expect(dunelight('ask', house.house, 'room-guides', '--record', 'D0').err).toMatch(/different models: small, large \[models-differ\]/)
    expect(dunelight('ask', house.house, 'room-guides', '--record', 'D0', '--model', 'mock').code).toBe(0)
    expect(dunelight('ask', house.house, 'room-guides', '--record', 'D0', '--candidates', '2')).toMatchObject({
      code: 2,
      err: expect.stringContaining('have candidates of their own') as unknown,
    })
  })
})

describe('a run of an assembly', () => {
  test('waits for the choice of a person, and finishes every document when it is made', () => {
    const { code, err } = dunelight('ask', house.house, 'dossiers')
    expect([code, err]).toEqual([3, expect.stringMatching(/4 records: 0 answered[^]*waiting: 4 records for a person’s choice/)])
    expect(dunelight('runs', house.house).out).toMatch(/dossiers-1 +waiting .*dunelight review/)
    expect(partsOf('L-7').map(({ record }) => record)).toEqual([
      'L-7:heading',
      'L-7:condition.1',
      'L-7:condition.2',
      'L-7:statement.1',
      'L-7:statement.2',
      'L-7:draft',
      'L-7:critique',
      'L-7:handling',
    ])
    expect(review('--record', 'L-7:heading').out).toMatch(/^\[1\] mock\n[^]*\n\[2\] mock\n[^]*\n\[3\] mock\n/)
    const chosen = partOf('L-7:heading').candidates[1]!.text
    expect(review(...LOANS.flatMap((loan) => ['--accept', `${loan}:heading=2`])).err).toContain('L-7:heading: accepted answer 2')
    const resumed = dunelight('resume', run())
    expect([resumed.code, resumed.err]).toEqual([0, expect.stringMatching(/4 answered[^]*requests +4, \d+ cached/)])
    expect(readdirSync(`${house.house}/out/dossiers`).sort()).toEqual(['L-10.docx', 'L-7.docx', 'L-8.docx', 'L-9.docx'])
    const document = docxText(`${house.house}/out/dossiers/L-7.docx`)
    expect(document).toContain(chosen.slice(0, 60))
    expect(document).toMatch(/MH-0137 Bell from the wreck of the Corrie[^]*Handling[^]*Signed[^]*Mother Agnes Holm, for the chapel/)
    const keys = linesOf(`${run()}/answers.jsonl`).map(({ key }) => key)
    expect(new Set(keys).size).toBe(keys.length)
    expect(review('--record', 'L-7').out).toMatch(/^# .*\n\nLoan L-7 to The Seamen's Chapel, Sandmouth, from 18 January 2027/)
    expect(dunelight('resume', run()).err).toContain('[run-finished]')
    // The same batch again replaces what the run has published, and nothing that somebody changed since.
    writeFileSync(`${house.house}/out/dossiers/L-8.docx`, 'mine')
    expect(dunelight('ask', house.house, 'room-guides', '--take', '1', '--to', `${house.house}/out/dossiers/{room.code}.md`).code).toBe(0)
    expect(readFileSync(`${house.house}/out/dossiers/L-8.docx`, 'utf8')).toBe('mine')
  })

  test.each(['md', 'html', 'json', 'docx'])('writes a document for each record as %s', (ending) => {
    const to = house.pathOf(`guides/{room.code}.${ending}`)
    expect(dunelight('ask', house.house, 'room-guides', '--take', '2', '--to', to).code).toBe(0)
    expect(readdirSync(house.pathOf('guides'))).toEqual([`H0.${ending}`, `K0.${ending}`])
    const path = house.pathOf(`guides/K0.${ending}`)
    const content = ending === 'docx' ? docxText(path) : text(path)
    expect(content).toMatch(
      { md: /^> Mock: .*\n\n# /, html: /^<!doctype html>[^]*<h1>/, json: /^\{\n {2}"document": "# /, docx: /^Mock: / }[ending]!,
    )
  })

  test('writes one table, with a column for the document and for each part', () => {
    const to = house.pathOf('guides.csv')
    expect(dunelight('ask', house.house, 'room-guides', '--take', '2', '--to', to).code).toBe(0)
    expect(text(to).split('\n')[0]).toBe(
      'code,name,floor,light,humidity,document,draft,critique,introduction,title,paragraph,repairs,unsupported',
    )
    const flat = house.pathOf('flat.jsonl')
    const { code } = dunelight(
      'ask',
      house.house,
      'room-guides',
      '--keep',
      'room.floor < 9 and room.code is "D0"',
      '--to',
      flat,
      '--flatten',
      'answer.paragraph',
    )
    const rows = linesOf(flat)
    expect([code, rows.length, Object.keys(rows[0]!)]).toEqual([0, 10, expect.arrayContaining(['thing', 'answer', 'document']) as unknown])
  })

  test('estimates and bounds the tokens of all parts, and shows what would be sent', () => {
    const { code, err } = dunelight('ask', house.house, 'dossiers', '--budget', '100')
    expect([code, err]).toEqual([1, expect.stringMatching(/\[budget-exceeded\]/)])
    expect(existsSync(`${house.house}/runs`)).toBe(false)
    const { out } = dunelight('run', house.house, 'dossiers', '--to', '-')
    const [line] = out.split('\n')
    const { record, parts } = JSON.parse(line!) as {
      record: string
      parts: { part: string; requests: number; turns: { text: string }[] }[]
    }
    expect([record, parts.find(({ part }) => part === 'heading')?.requests]).toEqual(['L-7', 3])
    expect(parts.find(({ part }) => part === 'summary')?.turns.at(-1)?.text).toContain('<heading>\n[the answer of heading]\n</heading>')
    const shown = dunelight('show', house.house, 'dossiers', '--record', 'L-8').out
    expect(shown).toMatch(/heading dossier\/heading, 3 candidates[^]*condition\.3 dossier\/condition[^]*document with samples/)
    expect(JSON.parse(dunelight('show', house.house, 'loan-dossier', '--json').out)).toMatchObject({
      parts: expect.arrayContaining([expect.objectContaining({ name: 'handling', needs: ['draft', 'critique'] })]) as unknown,
    })
    expect(dunelight('fit', house.house, 'dossiers').out).toContain('4 rows: all are valid')
  })

  test('needs an output of kind document for a file for each record', () => {
    const { code, err } = dunelight('ask', house.house, 'spring-survey', '--take', '1', '--to', house.pathOf('{item.object-no}.docx'))
    expect([code, err]).toEqual([1, expect.stringContaining('[document-only]')])
    expect(dunelight('ask', house.house, 'loan-round', '--take', '1', '--to', house.pathOf('letters/{loan.no}.docx')).code).toBe(0)
    expect(docxText(house.pathOf('letters/L-2026-11.docx'))).toContain('Bell from the wreck of the Corrie')
  })
})

describe('the review of an assembly', () => {
  test('edits, regenerates and discards single parts; what was accepted by hand never changes by itself', () => {
    dunelight('ask', house.house, 'dossiers', '--record', 'L-7')
    writeFileSync(house.pathOf('heading.txt'), 'The bell goes home for Lent\n')
    expect(review('--edit', `L-7:heading=${house.pathOf('heading.txt')}`).err).toContain('L-7:heading: accepted answer 4')
    expect(dunelight('resume', run()).code).toBe(0)
    expect(docxText(`${house.house}/out/dossiers/L-7.docx`)).toContain('The bell goes home for Lent')
    // A summary that is accepted for one heading is out of date with another.
    expect(review('--accept', 'L-7:summary', '--regenerate', 'L-7:statement.1').err).toMatch(
      /summary: accepted answer 1[^]*statement.1: received answer 2/,
    )
    const summary = partOf('L-7:summary').candidates[0]!.text
    expect(review('--accept', 'L-7:heading=2', '--accept', 'L-7:statement.1=2').code).toBe(0)
    expect(partOf('L-7:summary')).toMatchObject({ state: 'accepted', isOutOfDate: true })
    const refused = review('--documents', house.pathOf('refused'))
    expect([refused.code, refused.err]).toEqual([3, expect.stringMatching(/L-7 is out of date in "summary" \[part-out-of-date\]/)])
    expect(review('--documents', house.pathOf('forced'), '--as', 'md,docx', '--allow-out-of-date').code).toBe(0)
    expect(text(house.pathOf('forced/L-7.md'))).toContain(summary.slice(0, 40))
    expect(readdirSync(house.pathOf('forced')).sort()).toEqual(['L-7.docx', 'L-7.md'])
    expect(review().out).toMatch(/L-7:summary +accepted 1 out of date/)
    // The run asks nothing in its place, and says so.
    expect(dunelight('resume', run())).toMatchObject({
      code: 3,
      err: expect.stringContaining('rejected L-7: L-7 is out of date in "summary"') as unknown,
    })
    expect(review('--discard', 'L-7:summary').code).toBe(0)
    expect(dunelight('resume', run()).code).toBe(0)
    expect(docxText(`${house.house}/out/dossiers/L-7.docx`)).not.toContain('The bell goes home for Lent')
  })

  test('takes back a choice, and mixes parts of different answers', () => {
    dunelight('ask', house.house, 'dossiers', '--record', 'L-9')
    review('--accept', 'L-9:heading=1')
    review('--discard', 'L-9:heading')
    expect(partOf('L-9:heading').state).toBe('discarded')
    expect(dunelight('resume', run()).code).toBe(3)
    review('--regenerate', 'L-9:heading', '--accept', 'L-9:heading=3')
    expect(dunelight('resume', run()).code).toBe(0)
  })

  test('tells of parts that a record does not have, or not yet', () => {
    dunelight('ask', house.house, 'dossiers', '--record', 'L-7')
    const wrong = review('--accept', 'L-7:headin=1', '--accept', 'L-7:summary')
    expect([wrong.code, wrong.err]).toEqual([
      3,
      expect.stringMatching(/no part "headin"[^]*\[part-not-ready\][^]*did you mean "heading"[^]*"summary"/),
    ])
    expect(review('--accept', 'L-8:heading=1').err).toContain('[record-unknown]')
    expect(review('--accept', 'L-7:heading=9').err).toContain('[answer-unknown]')
  })

  test('begins again with a changed prompt: only what the change reaches is asked', async () => {
    const server = await served('desk')
    await asked('dossiers', '--record', 'L-7', '--model', 'desk')
    const before = server.requests()
    change('prompts/dossier/statement.yaml', 'Two sentences', 'Three sentences')
    review('--accept', 'L-7:heading=1')
    expect((await asked('dossiers', '--help')).code).toBe(0)
    const { start } = await import('../../../test/asking.js')
    expect((await start('resume', run()).ended).code).toBe(0)
    // Two statements, and the summary under the chosen heading.
    expect(server.requests() - before).toBe(3)
  })
})

describe('an assembly is part of its library', () => {
  test('in checks, graph, touched files, schemas and types', () => {
    expect(dunelight('graph', house.house, '--of', 'loan-dossier').out).toMatch(
      /assembly loan-dossier\n +uses +prompt dossier\/heading.*\n +used by +batch dossiers\n/,
    )
    const before = house.pathOf('critique.yaml')
    writeFileSync(before, text(`${house.house}/prompts/dossier/critique.yaml`))
    change('prompts/dossier/critique.yaml', 'at most three points', 'at most two points')
    const { out } = dunelight('check', house.house, '--touched', 'dossier/critique', '--before', before)
    expect(out).toContain('loan-dossier  assembly  asked again: critique; after them: handling\n')
    expect(out).toContain('room-guide  assembly  asked again: critique; after them: introduction, title\n')
    const { files } = (JSON.parse(dunelight('file-schemas').out) as Record<string, { files: string }>)['assembly']!
    expect(files).toBe('assemblies/**/*.yaml')
    const types = dunelight('types', house.house).out
    expect(types).toMatch(/export interface Assemblies \{\n[^]*'loan-dossier': \{[^]*readonly answers: \{[^]*readonly critique: /)
    change('assemblies/room-guide.yaml', 'prompt: guide/introduction', 'prompt: guide/introducton')
    const { code, out: checked } = dunelight('check', house.house)
    expect([code, checked]).toEqual([
      1,
      expect.stringMatching(/room-guide\.yaml:\d+:\d+ error: unknown prompt "guide\/introducton"[^]*did you mean "guide\/introduction"/),
    ])
  })
})
