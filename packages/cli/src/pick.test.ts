import { appendFileSync, cpSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { askBatch, openLibraryFor, Picking, readyModel } from '@dunelight/node'
import type { PickedRecord } from '@dunelight/node/host'
import { batchModel, type Model } from 'dunelight'
import { dunelight } from '../../../test/command.js'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-pick-'))
const at = (name: string) => join(folder, name)
const HOUSE = at('house')
const OBJECTS = `${HOUSE}/data/objects.csv`
const text = (path: string) => readFileSync(path, 'utf8')

beforeAll(() => cpSync('demo/marram-house', HOUSE, { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) }))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const ask = (...words: string[]) => dunelight('ask', HOUSE, ...words)
const pick = (run: string, ...words: string[]) => dunelight('pick', `${HOUSE}/runs/${run}`, ...words)

describe('several answers to one question', () => {
  test('come with their numbers, marked as made up, and one of them is kept', () => {
    const { code, out, err } = ask('label/write', '--records', OBJECTS, '--record', 'MH-0007', '--answers', '3')
    expect([code, out.match(/^\[\d\].*$/gm)]).toEqual([0, ['[1] made up', '[2] made up', '[3] made up']])
    expect(new Set(out.match(/^\{.*$/gm)).size).toBe(3)
    expect(err).toContain('pick one: dunelight pick')
    const kept = pick('label-write-1', '--keep', 'MH-0007=2')
    expect([kept.code, kept.err]).toEqual([0, expect.stringContaining('MH-0007: kept answer 2')])
    const settled = pick('label-write-1', '--to', at('one.jsonl'))
    expect(settled.err).toContain('1 kept answer →')
    expect(JSON.parse(text(at('one.jsonl')))).toMatchObject({
      record: 'MH-0007',
      row: { 'Object No.': 'MH-0007' },
      answer: JSON.parse(out.match(/^\{.*$/gm)![1]!) as unknown,
      'made-up': true,
    })
  })

  test('are marked where one says nearly what another did', async () => {
    writeFileSync(
      `${HOUSE}/prompts/hours.yaml`,
      'title: Hours\nvariables: { number: text, question: text }\nturns: [{ user: "{question}" }]\n',
    )
    const library = await openLibraryFor(HOUSE, 'hours')
    const says = [
      'The boat house opens at ten, every day but Monday.',
      'The boat house opens at ten, every day but Monday!',
      'Ask at the door.',
    ]
    const model: Model = ({ draw }) => Promise.resolve({ text: says[draw - 1]!, finish: 'done' })
    const ready = { ...readyModel(library, 'hours', 'stand-in'), model }
    const records = [{ number: 'Q-01', question: 'When do you open?' }]
    writeFileSync(at('q.jsonl'), records.map((one) => `${JSON.stringify(one)}\n`).join(''))
    const batch = batchModel({ prompt: 'hours', records: { from: 'records' } })
    const setting = { library, folder: HOUSE, name: 'q', batch, records: { from: at('q.jsonl') }, model: ready, again: 0 }
    const result = await askBatch({ ...setting, only: 'Q-01', answers: 3 }).catch((fault: unknown) => fault as Error)
    if (result instanceof Error) throw result
    const picking = await Picking.open(result.folder, { library, model: ready })
    let one: PickedRecord | undefined
    for await (const found of picking.records()) one = found
    await picking.close()
    expect(one!.candidates.map(({ number, like }) => [number, like])).toEqual([
      [1, undefined],
      [2, 1],
      [3, undefined],
    ])
  })

  test('are asked for one record, that the table has', () => {
    expect(ask('label/write', '--records', OBJECTS, '--answers', '3')).toMatchObject({
      code: 2,
      err: expect.stringContaining('--answers asks several times for one record') as unknown,
    })
    expect(ask('label/write', '--records', OBJECTS, '--record', 'MH-9999', '--answers', '2').err).toContain('no record is called "MH-9999"')
  })
})

describe('picking from a run', () => {
  test('keeps, rejects, asks again; what is kept stays as it is', () => {
    expect(ask('loan-round').code).toBe(0)
    const listed = pick('loan-round-1')
    expect(listed.out).toMatch(/^record +state +answers +says\nL-2026-11 +open +1 /)
    const whole = pick('loan-round-1', '--record', 'L-2026-11').out
    expect(pick('loan-round-1', '--keep', 'L-2026-11', '--reject', 'L-2026-12').err).toMatch(
      /L-2026-11: kept answer 1\n.*L-2026-12: rejected/s,
    )
    // One passage is written anew, all else is the kept answer's, sign by sign.
    expect(pick('loan-round-1', '--again', 'L-2026-11:terms').err).toContain('L-2026-11: answer 2 came, terms anew, the rest of answer 1')
    const [, first, second] = pick('loan-round-1', '--record', 'L-2026-11').out.split(/^\[\d\].*\n/m)
    const parts = (letter: string) => /^([^]*## What we ask of you\n\n)([^]*)(\n\nThe object stays[^]*)$/.exec(letter.trimEnd())!.slice(1)
    expect(first!.trimEnd()).toBe(whole.replace(/^\[1\].*\n/, '').trimEnd())
    expect([parts(second!)[0], parts(second!)[2]]).toEqual([parts(first!)[0], parts(first!)[2]])
    expect(parts(second!)[1]).not.toBe(parts(first!)[1])
    expect(pick('loan-round-1', '--again-rest').err).not.toContain('L-2026-11: answer')
    const states = pick('loan-round-1', '--json')
      .out.trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { record: string; state: string; candidates: unknown[] })
    expect(states.map(({ state, candidates }) => [state, candidates.length])).toEqual([
      ['kept', 2],
      ...states.slice(1).map(() => ['open', 2]),
    ])
    expect(pick('loan-round-1', '--keep-rest').code).toBe(0)
    expect(pick('loan-round-1', '--to', at('letters.csv')).err).toContain(`${states.length} kept answers`)
    expect(text(at('letters.csv'))).toContain(first!.split('\n')[0])
  })

  test('does one thing after the other, and nothing twice to a record that is named', () => {
    expect(ask('label/write', '--records', OBJECTS, '--take', '3', '--runs', at('three')).code).toBe(0)
    const run = at('three/label-write-1')
    const did = (...words: string[]) =>
      dunelight('pick', run, ...words)
        .err.match(/^MH-.*$/gm)
        ?.sort()
    expect(did('--again', 'MH-0001')).toEqual(['MH-0001: answer 2 came'])
    expect(did('--keep', 'MH-0001=1', '--again', 'MH-0001:body', '--keep-rest')).toEqual([
      'MH-0001: answer 3 came, body anew, the rest of answer 1',
      'MH-0001: kept answer 1',
      'MH-0002: kept answer 1',
      'MH-0003: kept answer 1',
    ])
    const [first] = dunelight('pick', run, '--json').out.split('\n')
    const { kept, candidates } = JSON.parse(first!) as { kept: number; candidates: { answer: Record<string, unknown> }[] }
    expect([kept, candidates[2]!.answer['heading']]).toEqual([1, candidates[0]!.answer['heading']])
    expect(candidates[2]!.answer['body']).not.toBe(candidates[0]!.answer['body'])
  })

  test('makes cases of what is settled', () => {
    expect(ask('survey/grade', '--records', OBJECTS, '--take', '3', '--again', '0').code).toBe(0)
    pick('survey-grade-1', '--keep-rest')
    const before = text(`${HOUSE}/data/graded-notes.csv`)
    const { code, err } = pick('survey-grade-1', '--cases', 'condition-notes')
    const added = Number(/(\d+) cases? added/.exec(err)?.[1])
    expect([code === 0 || code === 3, added > 0]).toEqual([true, true])
    const after = text(`${HOUSE}/data/graded-notes.csv`)
    expect(after.startsWith(before.trimEnd())).toBe(true)
    expect(after.length).toBeGreaterThan(before.length)
  })

  test('says what cannot be done, and does nothing of it', () => {
    const faults = [
      ['--keep', 'L-2026-99'],
      ['--keep', 'L-2026-13=7'],
      ['--again', 'L-2026-13:trems'],
      ['--to', at('letters.xlsx')],
      ['--keep-rest', '--again-rest'],
    ].map((words) => pick('loan-round-1', ...words))
    expect(faults.map(({ code, err }) => [code, err.split('\n').find((line) => !line.startsWith('warning') && line !== '')])).toEqual([
      [1, 'error: no record is called "L-2026-99" [record-unknown]'],
      [3, 'L-2026-13: L-2026-13 has no answer 7; its answers are 1 to 2 [answer-unknown]'],
      [3, 'L-2026-13: the answer has no part "trems" [part-unknown]'],
      [1, expect.stringContaining('letters.xlsx')],
      [2, 'error: --keep-rest and --again-rest both speak of the rest'],
    ])
    dunelight('run', HOUSE, 'upstairs')
    expect(pick('upstairs-1').err).toContain('asked nobody: it has no answers to pick from [run-asked-nothing]')
    expect(readdirSync(`${HOUSE}/runs/loan-round-1`)).toContain('picks.jsonl')
  })

  test('survives a decision that was half written, and refuses a table that has changed', () => {
    appendFileSync(`${HOUSE}/runs/loan-round-1/picks.jsonl`, '{"record":"L-2026-11","do')
    expect(pick('loan-round-1', '--reject', 'L-2026-11').err).toContain('L-2026-11: rejected')
    expect(pick('loan-round-1').out).toMatch(/L-2026-11 +rejected/)
    appendFileSync(`${HOUSE}/data/loans.jsonl`, '\n')
    expect(pick('loan-round-1')).toMatchObject({ code: 1, err: expect.stringContaining('the table loans.jsonl has changed') as unknown })
  })
})

test('a record whose name came before is set aside, as in a run without a model; --take counts those that fit', () => {
  const lines = text('demo/marram-house/data/objects.csv').split('\n')
  const [lantern, needle, third] = ['MH-0001', 'MH-0002', 'MH-0006'].map((id) => lines.find((line) => line.startsWith(id))!)
  const misfit = third!.replace(/,\d{4},/, ',long ago,')
  const rows = [lines[0], lantern, misfit, needle, lantern!.replace('Storm', 'Another'), third]
  writeFileSync(at('twice.csv'), rows.join('\n'))
  const counted = ask('label/write', '--records', at('twice.csv'), '--take', '3', '--runs', at('twice'))
  expect(counted.err).toMatch(/^5 records: 3 answered, 2 set aside$/m)
  const aside = text(at('twice/label-write-1/set-aside.jsonl')).trim().split('\n')
  expect(aside.map((line) => (JSON.parse(line) as { row: number; problems: { code: string }[] }).problems.map(({ code }) => code))).toEqual(
    [['cell-unfit'], ['record-named-twice']],
  )
  const kept = dunelight('pick', at('twice/label-write-1'), '--keep', 'MH-0001')
  expect([kept.code, kept.err.match(/MH-0001/g)]).toEqual([0, ['MH-0001']])
  expect(dunelight('pick', at('twice/label-write-1'), '--json').out.match(/"record":"[^"]*"/g)).toEqual(
    ['MH-0001', 'MH-0006', 'MH-0002', 'MH-0006'].map((id) => `"record":"${id}"`),
  )
})

test('an estimate is corrected by what the runs before it used', async () => {
  const library = await openLibraryFor(HOUSE, 'survey/grade')
  // A service that counts twice what is counted here, as such services go.
  const model: Model = ({ turns }) =>
    Promise.resolve({
      text: 'watch',
      finish: 'done',
      usage: { asked: turns.reduce((sum, { text: said }) => sum + Math.round(said.length / 2), 0), answered: 1 },
    })
  const ready = { ...readyModel(library, 'survey/grade', 'stand-in'), model, identity: 'counts twice' }
  const run = async (more: object = {}) => {
    const batch = batchModel({ prompt: 'survey/grade', records: { from: 'records' }, take: 30, tokens: true, ...more })
    return askBatch({ library, folder: HOUSE, name: 'twice', batch, records: { from: OBJECTS }, model: ready, runs: at('twice') })
  }
  const report = ({ folder: made }: { folder: string }) => /tokens estimated before \| (.*) \|/.exec(text(join(made, 'report.md')))![1]!
  const off = Number(/([\d.]+) % less than was used$/.exec(report(await run()))![1])
  expect(off).toBeGreaterThan(50)
  const second = report(await run())
  expect(second).toMatch(/just what was used \([\d,]+ counted, times [\d.]+ as an earlier run found\)$/)
  // A budget that the bare count would keep to is held against the corrected one.
  const counted = Number(/\(([\d,]+) counted/.exec(second)![1]!.replaceAll(',', ''))
  await expect(run({ budget: Math.round(counted * 1.3) })).rejects.toThrow(/tokens/)
})
