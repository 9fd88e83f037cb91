import { appendFileSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { askBatch, openLibraryFor, Review, readyModel } from '@dunelight/node'
import type { ReviewedRecord } from '@dunelight/node/host'
import { batchModel, type Model } from 'dunelight'
import { dunelight } from '../../../test/command.js'
import { useHouse } from '../../../test/house.js'

const house = useHouse()
const pathOf = (name: string) => house.pathOf(name)
const text = (path: string) => readFileSync(path, 'utf8')

const ask = (...words: string[]) => dunelight('ask', house.house, ...words)
const pick = (run: string, ...words: string[]) => dunelight('review', `${house.house}/runs/${run}`, ...words)

describe('several answers to one question', () => {
  test('are numbered and marked as mock, and one of them is accepted', () => {
    const { code, out, err } = ask('label/write', '--records', house.objects, '--record', 'MH-0007', '--candidates', '3')
    expect([code, out.match(/^\[\d\].*$/gm)]).toEqual([0, ['[1] mock', '[2] mock', '[3] mock']])
    expect(new Set(out.match(/^\{.*$/gm)).size).toBe(3)
    expect(err).toContain('accept one: dunelight review')
    const kept = pick('label-write-1', '--accept', 'MH-0007=2')
    expect([kept.code, kept.err]).toEqual([0, expect.stringContaining('MH-0007: accepted answer 2')])
    const settled = pick('label-write-1', '--to', pathOf('one.jsonl'))
    expect(settled.err).toContain('1 accepted answer →')
    expect(JSON.parse(text(pathOf('one.jsonl')))).toMatchObject({
      record: 'MH-0007',
      row: { 'Object No.': 'MH-0007' },
      answer: JSON.parse(out.match(/^\{.*$/gm)![1]!) as unknown,
      mock: true,
    })
  })

  test('are marked if one is nearly equal to another', async () => {
    writeFileSync(
      `${house.house}/prompts/hours.yaml`,
      'title: Hours\nvariables: { number: text, question: text }\nturns: [{ user: "{question}" }]\n',
    )
    const library = await openLibraryFor(house.house, 'hours')
    const message = [
      'The boat house opens at ten, every day but Monday.',
      'The boat house opens at ten, every day but Monday!',
      'Ask at the door.',
    ]
    const model: Model = ({ candidate }) => Promise.resolve({ text: message[candidate - 1]!, finish: 'done' })
    const ready = { ...readyModel(library, 'hours', 'mock'), model }
    const records = [{ number: 'Q-01', question: 'When do you open?' }]
    writeFileSync(pathOf('q.jsonl'), records.map((record) => `${JSON.stringify(record)}\n`).join(''))
    const batch = batchModel({ prompt: 'hours', records: { from: 'records' } })
    const setting = { library, folder: house.house, name: 'q', batch, records: { from: pathOf('q.jsonl') }, model: ready, corrections: 0 }
    const result = await askBatch({ ...setting, only: 'Q-01', candidates: 3 }).catch((fault: unknown) => fault as Error)
    if (result instanceof Error) throw result
    const picking = await Review.open(result.folder, { library, model: ready })
    let reviewedRecord: ReviewedRecord | undefined
    for await (const record of picking.records()) reviewedRecord = record
    await picking.close()
    expect(reviewedRecord!.candidates.map(({ number, similar }) => [number, similar])).toEqual([
      [1, undefined],
      [2, 1],
      [3, undefined],
    ])
  })

  test('are asked for one record, that the table has', () => {
    expect(ask('label/write', '--records', house.objects, '--candidates', '3')).toMatchObject({
      code: 2,
      err: expect.stringContaining('--candidates needs --record') as unknown,
    })
    expect(ask('label/write', '--records', house.objects, '--record', 'MH-9999', '--candidates', '2').err).toContain(
      'unknown record "MH-9999"',
    )
  })
})

describe('the review of a run', () => {
  test('accepts, discards, regenerates; an accepted answer stays as it is', () => {
    expect(ask('loan-round').code).toBe(0)
    const listed = pick('loan-round-1')
    expect(listed.out).toMatch(/^record +state +answers +answer\nL-2026-11 +open +1 /)
    const whole = pick('loan-round-1', '--record', 'L-2026-11').out
    expect(pick('loan-round-1', '--accept', 'L-2026-11', '--discard', 'L-2026-12').err).toMatch(
      /L-2026-11: accepted answer 1\n.*L-2026-12: discarded/s,
    )
    // One passage is regenerated; all else is the accepted answer's, character by character.
    expect(pick('loan-round-1', '--regenerate', 'L-2026-11:terms').err).toContain(
      'L-2026-11: received answer 2, terms regenerated, the rest from answer 1',
    )
    const [, first, second] = pick('loan-round-1', '--record', 'L-2026-11').out.split(/^\[\d\].*\n/m)
    const parts = (letter: string) => /^([^]*## What we ask of you\n\n)([^]*)(\n\nThe object stays[^]*)$/.exec(letter.trimEnd())!.slice(1)
    expect(first!.trimEnd()).toBe(whole.replace(/^\[1\].*\n/, '').trimEnd())
    expect([parts(second!)[0], parts(second!)[2]]).toEqual([parts(first!)[0], parts(first!)[2]])
    expect(parts(second!)[1]).not.toBe(parts(first!)[1])
    expect(pick('loan-round-1', '--regenerate-rest').err).not.toContain('L-2026-11: answer')
    const states = pick('loan-round-1', '--json')
      .out.trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { record: string; state: string; candidates: unknown[] })
    expect(states.map(({ state, candidates }) => [state, candidates.length])).toEqual([
      ['accepted', 2],
      ...states.slice(1).map(() => ['open', 2]),
    ])
    expect(pick('loan-round-1', '--accept-rest').code).toBe(0)
    expect(pick('loan-round-1', '--to', pathOf('letters.csv')).err).toContain(`${states.length} accepted answers`)
    expect(text(pathOf('letters.csv'))).toContain(first!.split('\n')[0])
  })

  test('carries out the actions in order, and none twice for a named record', () => {
    expect(ask('label/write', '--records', house.objects, '--take', '3', '--runs', pathOf('three')).code).toBe(0)
    const run = pathOf('three/label-write-1')
    const did = (...words: string[]) =>
      dunelight('review', run, ...words)
        .err.match(/^MH-.*$/gm)
        ?.sort()
    expect(did('--regenerate', 'MH-0001')).toEqual(['MH-0001: received answer 2'])
    expect(did('--accept', 'MH-0001=1', '--regenerate', 'MH-0001:body', '--accept-rest')).toEqual([
      'MH-0001: accepted answer 1',
      'MH-0001: received answer 3, body regenerated, the rest from answer 1',
      'MH-0002: accepted answer 1',
      'MH-0003: accepted answer 1',
    ])
    const [first] = dunelight('review', run, '--json').out.split('\n')
    const { accepted, candidates } = JSON.parse(first!) as { accepted: number; candidates: { answer: Record<string, unknown> }[] }
    expect([accepted, candidates[2]!.answer['heading']]).toEqual([1, candidates[0]!.answer['heading']])
    expect(candidates[2]!.answer['body']).not.toBe(candidates[0]!.answer['body'])
  })

  test('makes cases of accepted answers', () => {
    expect(ask('survey/grade', '--records', house.objects, '--take', '3', '--corrections', '0').code).toBe(0)
    pick('survey-grade-1', '--accept-rest')
    const before = text(`${house.house}/data/graded-notes.csv`)
    const refused = pick('survey-grade-1', '--cases', 'condition-notes')
    expect([refused.code, refused.err]).toEqual([3, expect.stringContaining('refused row 1: its answer comes from the mock model')])
    pick('survey-grade-1', '--to', pathOf('accepted.csv'))
    writeFileSync(pathOf('accepted.csv'), text(pathOf('accepted.csv')).replace('Survey note', 'Note'))
    const fromTable = dunelight('examples', 'add', house.house, 'condition-notes', '--from', pathOf('accepted.csv'))
    expect([fromTable.code, fromTable.err]).toEqual([3, expect.stringContaining('3 selected, 0 cases added')])
    expect(text(`${house.house}/data/graded-notes.csv`)).toBe(before)
    const { code, err } = pick('survey-grade-1', '--cases', 'condition-notes', '--allow-mock')
    const added = Number(/(\d+) cases? added/.exec(err)?.[1])
    expect([code === 0 || code === 3, added > 0]).toEqual([true, true])
    const after = text(`${house.house}/data/graded-notes.csv`)
    expect(after.startsWith(before.trimEnd())).toBe(true)
    expect(after.length).toBeGreaterThan(before.length)
  })

  test('reports what cannot be done, and does nothing', () => {
    ask('loan-round')
    pick('loan-round-1', '--regenerate-rest')
    const faults = [
      ['--accept', 'L-2026-99'],
      ['--accept', 'L-2026-13=7'],
      ['--regenerate', 'L-2026-13:trems'],
      ['--to', pathOf('letters.xlsx')],
      ['--accept-rest', '--regenerate-rest'],
    ].map((words) => pick('loan-round-1', ...words))
    expect(faults.map(({ code, err }) => [code, err.split('\n').find((line) => !line.startsWith('warning') && line !== '')])).toEqual([
      [1, 'error: unknown record "L-2026-99" [record-unknown]'],
      [3, 'L-2026-13: L-2026-13 has no answer 7; its answers are 1 to 2 [answer-unknown]'],
      [3, 'L-2026-13: the answer has no part "trems" [part-unknown]'],
      [1, expect.stringContaining('letters.xlsx')],
      [2, 'error: --accept-rest and --regenerate-rest cannot be combined'],
    ])
    dunelight('run', house.house, 'upstairs')
    expect(pick('upstairs-1').err).toContain('has no answers: it did not ask a model [run-without-answers]')
    expect(readdirSync(`${house.house}/runs/loan-round-1`)).toContain('review.jsonl')
  })

  test('survives a decision that was half written, and refuses a table that has changed', () => {
    ask('loan-round')
    pick('loan-round-1', '--accept-rest')
    appendFileSync(`${house.house}/runs/loan-round-1/review.jsonl`, '{"record":"L-2026-11","do')
    expect(pick('loan-round-1', '--discard', 'L-2026-11').err).toContain('L-2026-11: discarded')
    expect(pick('loan-round-1').out).toMatch(/L-2026-11 +discarded/)
    appendFileSync(`${house.house}/data/loans.jsonl`, '\n')
    expect(pick('loan-round-1')).toMatchObject({ code: 1, err: expect.stringContaining('the table loans.jsonl has changed') as unknown })
  })
})

test('a record whose name came before is rejected, as in a run without a model; --take counts those that fit', () => {
  const lines = text('demo/marram-house/data/objects.csv').split('\n')
  const [lantern, needle, third] = ['MH-0001', 'MH-0002', 'MH-0006'].map((id) => lines.find((line) => line.startsWith(id))!)
  const misfit = third!.replace(/,\d{4},/, ',long ago,')
  const rows = [lines[0], lantern, misfit, needle, lantern!.replace('Storm', 'Another'), third]
  writeFileSync(pathOf('twice.csv'), rows.join('\n'))
  const counted = ask(
    'label/write',
    '--records',
    pathOf('twice.csv'),
    '--name',
    '{item.object-no}',
    '--take',
    '3',
    '--runs',
    pathOf('twice'),
  )
  expect(counted.err).toMatch(/^5 records: 3 answered, 2 rejected$/m)
  const rejected = text(pathOf('twice/label-write-1/rejected.jsonl')).trim().split('\n')
  expect(
    rejected.map((line) => (JSON.parse(line) as { row: number; problems: { code: string }[] }).problems.map(({ code }) => code)),
  ).toEqual([['cell-invalid'], ['record-id-duplicate']])
  const kept = dunelight('review', pathOf('twice/label-write-1'), '--accept', 'MH-0001')
  expect([kept.code, kept.err.match(/MH-0001/g)]).toEqual([0, ['MH-0001']])
  expect(dunelight('review', pathOf('twice/label-write-1'), '--json').out.match(/"record":"[^"]*"/g)).toEqual(
    ['MH-0001', 'MH-0006', 'MH-0002', 'MH-0006'].map((id) => `"record":"${id}"`),
  )
})

test('an estimate is corrected by what the runs before it used', async () => {
  const library = await openLibraryFor(house.house, 'survey/grade')
  // A service that counts twice what is counted here, as such services go.
  const model: Model = ({ turns }) =>
    Promise.resolve({
      text: 'watch',
      finish: 'done',
      usage: { sent: turns.reduce((sum, { text: stated }) => sum + Math.round(stated.length / 2), 0), received: 1 },
    })
  const ready = { ...readyModel(library, 'survey/grade', 'mock'), model, identity: 'counts twice' }
  const run = async (more: object = {}) => {
    const batch = batchModel({ prompt: 'survey/grade', records: { from: 'records' }, take: 30, tokens: true, ...more })
    return askBatch({
      library,
      folder: house.house,
      name: 'twice',
      batch,
      records: { from: house.objects },
      model: ready,
      runs: pathOf('twice'),
    })
  }
  const report = ({ folder: made }: { folder: string }) => /tokens estimated \| (.*) \|/.exec(text(`${made}/report.md`))![1]!
  const off = Number(/([\d.]+) % less than was used$/.exec(report(await run()))![1])
  expect(off).toBeGreaterThan(50)
  const second = report(await run())
  expect(second).toMatch(/equal to the usage \([\d,]+ counted, times [\d.]+ as an earlier run found\)$/)
  // A budget that the plain count would keep is compared with the corrected count.
  const counted = Number(/\(([\d,]+) counted/.exec(second)![1]!.replaceAll(',', ''))
  await expect(run({ budget: Math.round(counted * 1.3) })).rejects.toThrow(/tokens/)
})
