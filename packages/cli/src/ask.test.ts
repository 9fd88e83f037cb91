import { appendFileSync, cpSync, existsSync, readdirSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { describe, expect, test } from '@jest/globals'
import { askBatch, openLibraryFor, readyModel } from '@dunelight/node'
import { batchModel, type Model } from 'dunelight'
import { start, useModels } from '../../../test/asking.js'
import { dunelight, dunelightFed } from '../../../test/command.js'
import { linesOf, pause, text, useHouse } from '../../../test/house.js'

const house = useHouse()
const { asked, describeModel, served } = useModels(house)

test('what comes by standard input is the run’s, or leaves nothing behind where none is begun', () => {
  const piped = (...words: string[]) =>
    dunelightFed(text(house.objects), 'ask', house.house, 'label/write', '--records', '-', '--runs', house.pathOf('piped'), ...words)
  expect(piped('--budget', '10')).toMatchObject({ code: 1, err: expect.stringContaining('[budget-exceeded]') as unknown })
  expect(readdirSync(house.pathOf('piped'))).toEqual([])
  expect(piped('--take', '2').code).toBe(0)
  expect([readdirSync(house.pathOf('piped')), text(house.pathOf('piped/label-write-1/records.csv'))]).toEqual([
    ['label-write-1'],
    text(house.objects),
  ])
})

test.each([
  ['a column that is missing', (objects: string) => objects.replace('Title', 'Heading'), 'csv', '[heading-missing]'],
  ['a line that is no record', () => `{"title":"${'y'.repeat(17 << 20)}"}\n`, 'jsonl', '[line-too-long]'],
  ['an empty table', () => '', 'csv', '[table-empty]'],
])('a table with %s is refused before anything is asked, and leaves nothing behind', (_, change, ending, code) => {
  const table = house.pathOf(`bad.${ending}`)
  writeFileSync(table, change(text(house.objects)))
  const ran = dunelight('ask', house.house, 'label/write', '--records', table, '--runs', house.pathOf('runs'))
  expect([ran.code, ran.err]).toEqual([1, expect.stringContaining(code)])
  expect(existsSync(house.pathOf('runs'))).toBe(false)
})

test('a run has no files that nothing was written to', () => {
  expect(
    dunelight('ask', house.house, 'survey/grade', '--records', house.objects, '--take', '3', '--runs', house.pathOf('runs')).code,
  ).toBe(0)
  expect(readdirSync(house.pathOf('runs/survey-grade-1')).sort()).toEqual([
    'answers.jsonl',
    'output.jsonl',
    'rejected.jsonl',
    'report.html',
    'report.md',
    'run.json',
  ])
})

describe('asking for one record', () => {
  test('prints the reply on stdout and its details on stderr; says that the mock model invents', async () => {
    const { code, out, err } = await asked('label/write', '--records', house.objects, '--record', 'MH-0007')
    expect(code).toBe(0)
    expect(Object.keys(JSON.parse(out) as object)).toEqual(['heading', 'body', 'keywords'])
    expect(err).toContain('[mock-answers]')
    expect((await asked('label/write', '--records', house.objects, '--record', 'MH-0007')).out).toBe(out)
    expect((await asked('label/write', '--records', house.objects, '--record', 'MH-0007', '--seed', '2')).out).not.toBe(out)
  })

  test('sends the request that models.yaml describes, and answers the second one from the cache', async () => {
    const server = await served('desk', {}, ['headers: { x-pass: "{env.MARRAM_PASS}" }'])
    const words = ['label/write', '--records', house.objects, '--record', 'MH-0007', '--model', 'desk']
    const first = await asked(...words)
    expect([first.code, server.requests()]).toEqual([0, 1])
    const second = await asked(...words)
    expect([second.out, second.err, server.requests()]).toEqual([first.out, expect.stringContaining('cached'), 1])
    await asked(...words, '--fresh')
    expect([server.requests(), linesOf(`${house.house}/answers/cache.jsonl`).length]).toEqual([2, 2])
    expect(dunelight('check', house.house).code).toBe(0)
  })

  test('takes an answer word by word', async () => {
    await served('desk')
    await served('aloud', {}, ['envelope: back-office-aloud', 'stream: { piece: /piece, last: over }'])
    const whole = await asked('label/write', '--records', house.objects, '--record', 'MH-0009', '--model', 'desk')
    const pieces = await asked('label/write', '--records', house.objects, '--record', 'MH-0009', '--model', 'aloud')
    expect([pieces.code, Object.keys(JSON.parse(pieces.out) as object)]).toEqual([0, Object.keys(JSON.parse(whole.out) as object)])
  })

  test('reports what is missing before any request is sent', async () => {
    describeModel('desk', 'http://127.0.0.1:47119/ask')
    describeModel('locked', 'http://127.0.0.1:47119/ask', ['headers: { pass: "{env.MARRAM_NOWHERE}" }'])
    const words = ['label/write', '--records', house.objects, '--record', 'MH-0007', '--model']
    expect((await asked(...words, 'locked')).err).toContain('needs the environment variable MARRAM_NOWHERE')
    expect((await asked(...words, 'locked')).err).toContain('[environment-missing]')
    expect((await asked(...words, 'dsk')).err).toMatch(/unknown model "dsk"[\s\S]*did you mean "desk"\?/)
    expect((await asked(...words, 'dsk')).err).toContain('[model-unknown]')
    expect((await asked(...words, 'desk', '--faults', 'empty=1%')).code).toBe(2)
    expect((await asked(...words, 'desk', '--concurrency', '0')).err).toContain('below the minimum')
    expect((await asked(...words, 'mock', '--faults', 'emty=1%')).err).toContain('did you mean "empty"?')
    expect((await asked(...words, 'mock', '--faults', 'empty=80%,slow=30%')).err).toContain('more than 100%')
  })

  test('reads the reply from another field, and reports a refused connection', async () => {
    const other = createServer((_, response) => response.end('{"result":{"words":"x"}}'))
    await new Promise<void>((resolve) => other.listen(0, '127.0.0.1', resolve))
    describeModel('elsewhere', `http://127.0.0.1:${(other.address() as { port: number }).port}/`)
    describeModel('nobody', 'http://127.0.0.1:47119/ask', ['attempts: 2'])
    const words = ['label/write', '--records', house.objects, '--record', 'MH-0007', '--model']
    const { code, err } = await asked(...words, 'elsewhere')
    other.close()
    other.closeAllConnections()
    expect([code, err]).toEqual([3, expect.stringMatching(/no text at \/said[\s\S]*it has: result[\s\S]*/)])
    expect(err).toContain('[answer-not-found]')
    const silent = await asked(...words, 'nobody')
    expect([silent.code, silent.err]).toEqual([
      3,
      expect.stringMatching(/retry: connection refused[\s\S]*"nobody" gave no answer: .* \(2 attempts\)/),
    ])
    expect(silent.err).toContain('[model-without-answer]')
  })
})

test('several answers keep their numbers where some never come', async () => {
  await served('flaky', { faults: { dropped: 0.5 }, seed: 4 }, ['attempts: 1', 'concurrency: 1'])
  const words = ['label/write', '--records', house.objects, '--record', 'MH-0007', '--candidates', '6', '--corrections', '0']
  const { code, out, err } = await asked(...words, '--model', 'flaky', '--runs', house.pathOf('flaky'))
  const numbers = [...out.matchAll(/^\[(\d)\]/gm)].map(([, number]) => Number(number))
  // Which of them are lost depends on the order in which they are sent; each has its own number all the same.
  expect([code, numbers.length > 1, numbers.length < 6]).toEqual([3, true, true])
  expect(numbers.every((number, i) => number <= 6 && number > (numbers[i - 1] ?? 0))).toBe(true)
  // A mock server repeats its replies.
  expect(out).toContain(`nearly the same as ${numbers[0]!}`)
  expect(err).toContain(`6 answers: ${numbers.length} valid`)
})

describe('models.yaml', () => {
  test('is checked as every other file', () => {
    const library = house.pathOf('models')
    cpSync(house.house, library, { recursive: true, filter: (path) => !/answers$/.test(path) })
    writeFileSync(
      `${library}/models.yaml`,
      [
        'default: smal',
        'models:',
        '  small: { url: ftp://x, answer: said, attempts: 0, per-minute: { requests: many }, envelope: none, hedaers: {} }',
        `  large: { url: "https://models.example/ask", answer: /said, headers: { pass: "key-${'aB3'.repeat(12)}" } }`,
        '',
      ].join('\n'),
    )
    const { code, out, err } = dunelight('check', library)
    const text = out + err
    expect(code).toBe(1)
    for (const words of [
      'unknown model "smal"',
      '"url" must be a URL such as https://…, not "ftp://x"',
      '"answer" must be a JSON Pointer such as /answer/text, not "said"',
      '"attempts"',
      '"requests"',
      'hedaers',
      '"none"',
    ])
      expect(text).toContain(words)
    expect(text).toContain('[model-key-invalid]')
    expect(text).toContain('[secret-in-text]')
    expect(text).not.toContain('aB3aB3')
  })
})

describe('asking for a table', () => {
  test('adds the answers to their records, routes them, and marks mock answers', async () => {
    const { code, err } = await asked('spring-survey', '--to', house.pathOf('graded.csv'), '--take', '30')
    expect(code === 0 || code === 3).toBe(true)
    expect(err).toContain('[mock-answers]')
    const [head = '', ...rows] = text(house.pathOf('graded.csv'))
      .trim()
      .split(/\n(?=MH-)/)
    expect(head).toMatch(/grade,repairs,unsupported$/)
    const urgent = text(`${house.house}/out/conservator.csv`)
      .trim()
      .split(/\n(?=MH-)/)
      .slice(1)
    expect(urgent).toEqual(rows.filter((row) => /,(?:urgent|treat),[^,]*,[^,]*$/.test(row.trim())))
    expect(urgent.length).toBeGreaterThan(3)
    expect(rows.every((row) => row.trim().endsWith('it comes from the mock model'))).toBe(true)
    expect(text(`${house.house}/runs/spring-survey-1/report.html`)).toContain('come from the built-in mock model')
    // The next run replaces files of an earlier run, but not those that a user has changed since.
    expect((await asked('spring-survey', '--to', house.pathOf('graded.csv'), '--take', '30')).code).toBe(code)
    appendFileSync(`${house.house}/out/conservator.csv`, 'by hand\n')
    expect((await asked('spring-survey', '--take', '3', '--to', house.pathOf('other.csv'))).err).toContain('[output-exists]')
    expect(dunelight('runs', house.house).out).toMatch(/spring-survey-1 +done .* answers?/)
  })

  test('has a reply that its output refuses given once more, with what was wrong', async () => {
    const bodies: string[] = []
    const model: Model = (request) => {
      bodies.push(JSON.stringify(request.turns.slice(-2)))
      return Promise.resolve({ text: request.turns.at(-1)!.text.startsWith('That answer') ? 'sound' : 'fine, I think', finish: 'done' })
    }
    const library = await openLibraryFor(house.house, 'survey/grade')
    const ready = { ...readyModel(library, 'survey/grade', 'mock'), model }
    const batch = batchModel({ prompt: 'survey/grade', records: { from: 'records' }, take: 1 })
    const { counts } = await askBatch({
      library,
      folder: house.house,
      name: 'again',
      batch,
      records: { from: house.objects },
      model: ready,
      runs: house.pathOf('again'),
    })
    expect(counts).toMatchObject({ written: 1, requests: 2, corrections: 1, labels: { grade: { sound: 1 } } })
    expect(bodies[1]).toContain('That answer cannot be used:\\n- \\"fine, I think\\" is not one of')
  })

  test('stops where no service answers, and can be resumed', async () => {
    describeModel('gone', 'http://127.0.0.1:47119/ask', ['attempts: 1'])
    const { code, err } = await asked('label/write', '--records', house.objects, '--model', 'gone', '--runs', house.pathOf('gone'))
    expect([code, err]).toEqual([
      1,
      expect.stringContaining('model "gone" is unreachable: connection refused (20 requests failed in a row)'),
    ])
    expect(err).toContain('[model-unreachable]')
    expect(dunelight('runs', house.house, '--runs', house.pathOf('gone')).out).toMatch(/failed .*dunelight resume/)
  })

  test('finishes what is under way when it is interrupted', async () => {
    await served('slow', { delay: 150 }, ['concurrency: 4'])
    const { child, ended } = start(
      'ask',
      house.house,
      'label/write',
      '--records',
      house.objects,
      '--model',
      'slow',
      '--runs',
      house.pathOf('left'),
    )
    const log = house.pathOf('left/label-write-1/answers.jsonl')
    while (!existsSync(log) || text(log).split('\n').length < 9) await pause(10)
    child.kill('SIGINT')
    const { code, err } = await ended
    expect([code, err]).toEqual([130, expect.stringContaining('resume')])
    const before = text(log)
    expect(linesOf(house.pathOf('left/label-write-1/output.jsonl')).length).toBeLessThanOrEqual(linesOf(log).length)
    const resumed = await start('resume', house.pathOf('left/label-write-1')).ended
    expect(resumed.code).toBe(3)
    expect(text(log).startsWith(before)).toBe(true)
    expect(linesOf(log)).toHaveLength(176)
  })
})
