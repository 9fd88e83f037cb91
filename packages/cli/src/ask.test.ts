import { spawn } from 'node:child_process'
import { appendFileSync, cpSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { AnswerLog, askBatch, openLibraryFor, readyModel, serveStandIn, toHtml, toMarkdown, type StandInServer } from '@dunelight/node'
import { batchModel, MISBEHAVIOURS, type Misbehaviour, type Model } from 'dunelight'
import { COMMAND, dunelight, dunelightFed } from '../../../test/command.js'
import { generateObjects } from '../../../scripts/generate.mjs'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-ask-'))
const at = (name: string) => join(folder, name)
const HOUSE = at('house')
const OBJECTS = `${HOUSE}/data/objects.csv`
const text = (path: string) => readFileSync(path, 'utf8')
const linesOf = (path: string) =>
  text(path)
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Record<string, unknown>)
const servers: StandInServer[] = []
let others: Server[] = []

beforeAll(() => {
  cpSync('demo/marram-house', HOUSE, { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  process.env['MARRAM_PASS'] = 'heron'
})
afterAll(async () => {
  for (const one of servers) await one.close()
  for (const one of others) {
    one.close()
    one.closeAllConnections()
  }
  rmSync(folder, { recursive: true, force: true })
})

/** Starts a stand-in, and describes it as a model of that name. */
async function served(name: string, options: Omit<Parameters<typeof serveStandIn>[0], 'library'>, more: readonly string[] = []) {
  const server = await serveStandIn({ library: await openLibraryFor(HOUSE, undefined), ...options })
  servers.push(server)
  describeModel(name, server.at, more)
  return server
}

function describeModel(name: string, address: string, more: readonly string[] = []): void {
  const lines = [
    `  ${name}:`,
    `    at: ${address}`,
    '    reply: /said',
    '    ended: { at: /why, cut-off: [cut-off], refused: [refused] }',
    '    used: { asked: /meter/asked, answered: /meter/answered }',
    ...(more.some((line) => line.startsWith('envelope')) ? [] : ['    envelope: back-office']),
    ...more.map((line) => `    ${line}`),
  ]
  appendFileSync(`${HOUSE}/models.yaml`, `${lines.join('\n')}\n`)
}

/** The command as a process of its own, while servers of this one answer. */
async function asked(...words: string[]): Promise<{ code: number | null; out: string; err: string }> {
  return start(['ask', HOUSE, ...words]).ended
}

function start(words: readonly string[]) {
  const child = spawn(process.execPath, [COMMAND, ...words], { stdio: ['ignore', 'pipe', 'pipe'], env: { ...process.env, NO_COLOR: '1' } })
  const said = { out: '', err: '' }
  child.stdout.on('data', (chunk: Buffer) => (said.out += chunk.toString()))
  child.stderr.on('data', (chunk: Buffer) => (said.err += chunk.toString()))
  const ended = new Promise<{ code: number | null; out: string; err: string }>((resolve) =>
    child.once('close', (code) => resolve({ code, ...said })),
  )
  return { child, ended }
}

test('what comes by standard input is the run’s, or leaves nothing behind where none is begun', () => {
  const piped = (...words: string[]) =>
    dunelightFed(text(OBJECTS), 'ask', HOUSE, 'label/write', '--records', '-', '--runs', at('piped'), ...words)
  expect(piped('--budget', '10')).toMatchObject({ code: 1, err: expect.stringContaining('[budget-exceeded]') as unknown })
  expect(readdirSync(at('piped'))).toEqual([])
  expect(piped('--take', '2').code).toBe(0)
  expect([readdirSync(at('piped')), text(at('piped/label-write-1/records.csv'))]).toEqual([['label-write-1'], text(OBJECTS)])
})

describe('asking for one record', () => {
  test('prints the reply on stdout and what is to be known of it beside; the stand-in is said to make things up', async () => {
    const { code, out, err } = await asked('label/write', '--records', OBJECTS, '--record', 'MH-0007')
    expect(code).toBe(0)
    expect(Object.keys(JSON.parse(out) as object)).toEqual(['heading', 'body', 'keywords'])
    expect(err).toContain('[answers-made-up]')
    expect((await asked('label/write', '--records', OBJECTS, '--record', 'MH-0007')).out).toBe(out)
    expect((await asked('label/write', '--records', OBJECTS, '--record', 'MH-0007', '--seed', '2')).out).not.toBe(out)
  })

  test('asks a service as its description says, and what was answered is not asked again', async () => {
    const server = await served('desk', {}, ['headers: { x-pass: "{env.MARRAM_PASS}" }'])
    const words = ['label/write', '--records', OBJECTS, '--record', 'MH-0007', '--model', 'desk']
    const first = await asked(...words)
    expect([first.code, server.asked()]).toEqual([0, 1])
    const second = await asked(...words)
    expect([second.out, second.err, server.asked()]).toEqual([first.out, expect.stringContaining('not asked again'), 1])
    await asked(...words, '--fresh')
    expect([server.asked(), linesOf(`${HOUSE}/answers/kept.jsonl`).length]).toEqual([2, 2])
    expect(dunelight('check', HOUSE).code).toBe(0)
  })

  test('takes an answer word by word', async () => {
    await served('aloud', {}, ['envelope: back-office-aloud', 'stream: { piece: /piece, last: over }'])
    const whole = await asked('label/write', '--records', OBJECTS, '--record', 'MH-0009', '--model', 'desk')
    const pieces = await asked('label/write', '--records', OBJECTS, '--record', 'MH-0009', '--model', 'aloud')
    expect([pieces.code, Object.keys(JSON.parse(pieces.out) as object)]).toEqual([0, Object.keys(JSON.parse(whole.out) as object)])
  })

  test('says what is missing before anything is asked', async () => {
    describeModel('locked', 'http://127.0.0.1:47119/ask', ['headers: { pass: "{env.MARRAM_NOWHERE}" }'])
    const words = ['label/write', '--records', OBJECTS, '--record', 'MH-0007', '--model']
    expect((await asked(...words, 'locked')).err).toContain('needs MARRAM_NOWHERE from the environment')
    expect((await asked(...words, 'locked')).err).toContain('[environment-missing]')
    expect((await asked(...words, 'dsk')).err).toMatch(/no model is called "dsk"[\s\S]*did you mean "desk"\?/)
    expect((await asked(...words, 'dsk')).err).toContain('[model-unknown]')
    expect((await asked(...words, 'desk', '--misbehave', 'empty=1%')).code).toBe(2)
    expect((await asked(...words, 'desk', '--at-once', '0')).err).toContain('give 1 or more')
    expect((await asked(...words, 'stand-in', '--misbehave', 'emty=1%')).err).toContain('did you mean "empty"?')
    expect((await asked(...words, 'stand-in', '--misbehave', 'empty=80%,slow=30%')).err).toContain('more than all answers')
  })

  test('says where a service puts its text elsewhere, and where nobody listens', async () => {
    const other = createServer((_, response) => response.end('{"result":{"words":"x"}}'))
    others = [other]
    await new Promise<void>((resolve) => other.listen(0, '127.0.0.1', resolve))
    describeModel('elsewhere', `http://127.0.0.1:${(other.address() as { port: number }).port}/`)
    describeModel('nobody', 'http://127.0.0.1:47119/ask', ['tries: 2'])
    const words = ['label/write', '--records', OBJECTS, '--record', 'MH-0007', '--model']
    const { code, err } = await asked(...words, 'elsewhere')
    expect([code, err]).toEqual([3, expect.stringMatching(/no text at \/said[\s\S]*it holds: result[\s\S]*/)])
    expect(err).toContain('[answer-not-found]')
    const silent = await asked(...words, 'nobody')
    expect([silent.code, silent.err]).toEqual([
      3,
      expect.stringMatching(/once more: nobody listens[\s\S]*"nobody" gave no answer: .* asked 2 times/),
    ])
    expect(silent.err).toContain('[model-silent]')
  })
})

test('several answers keep their numbers where some never come', async () => {
  await served('flaky', { misbehave: { dropped: 0.5 }, seed: 4 }, ['tries: 1', 'at-once: 1'])
  const words = ['label/write', '--records', OBJECTS, '--record', 'MH-0007', '--answers', '6', '--again', '0']
  const { code, out, err } = await asked(...words, '--model', 'flaky', '--runs', at('flaky'))
  const numbers = [...out.matchAll(/^\[(\d)\]/gm)].map(([, number]) => Number(number))
  // The first never came: what comes later is held against it all the same.
  expect([code, numbers[0]! > 1, numbers.length > 1]).toEqual([3, true, true])
  // A served stand-in says the same again.
  expect(out).toContain(`nearly the same as ${numbers[0]!}`)
  expect(err).toContain(`6 answers: ${numbers.length} could be read`)
})

describe('models.yaml', () => {
  test('is checked as every other file', () => {
    const library = at('models')
    cpSync(HOUSE, library, { recursive: true, filter: (path) => !/answers$/.test(path) })
    writeFileSync(
      `${library}/models.yaml`,
      [
        'usual: smal',
        'models:',
        '  small: { at: ftp://x, reply: said, tries: 0, a-minute: { asks: many }, envelope: none, hedaers: {} }',
        `  large: { at: "https://models.example/ask", reply: /said, headers: { pass: "key-${'aB3'.repeat(12)}" } }`,
        '',
      ].join('\n'),
    )
    const { code, out, err } = dunelight('check', library)
    const said = out + err
    expect(code).toBe(1)
    for (const words of ['no model is called "smal"', '"at" is "ftp://x"', '"reply" is "said"', '"tries"', '"asks"', 'hedaers', '"none"'])
      expect(said).toContain(words)
    expect(said).toContain('[model-key-unfit]')
    expect(said).toContain('[secret-in-text]')
    expect(said).not.toContain('aB3aB3')
  })
})

describe('asking for a table', () => {
  test('puts the answers beside their records, routes them, and marks what is made up', async () => {
    const { code, err } = await asked('spring-survey', '--to', at('graded.csv'), '--take', '30')
    expect(code === 0 || code === 3).toBe(true)
    expect(err).toContain('[answers-made-up]')
    const [head = '', ...rows] = text(at('graded.csv'))
      .trim()
      .split(/\n(?=MH-)/)
    expect(head).toMatch(/grade,repaired,to verify$/)
    const urgent = text(`${HOUSE}/out/conservator.csv`)
      .trim()
      .split(/\n(?=MH-)/)
      .slice(1)
    expect(urgent).toEqual(rows.filter((row) => /,(?:urgent|treat),[^,]*,[^,]*$/.test(row.trim())))
    expect(urgent.length).toBeGreaterThan(3)
    expect(rows.every((row) => row.trim().endsWith('it is made up'))).toBe(true)
    expect(text(`${HOUSE}/runs/spring-survey-1/report.html`)).toContain('nothing that it says is true')
    // What a run has put there is written anew by the next; what somebody has changed since is not.
    expect((await asked('spring-survey', '--to', at('graded.csv'), '--take', '30')).code).toBe(code)
    appendFileSync(`${HOUSE}/out/conservator.csv`, 'by hand\n')
    expect((await asked('spring-survey', '--take', '3', '--to', at('other.csv'))).err).toContain('[output-exists]')
    expect(dunelight('runs', HOUSE).out).toMatch(/spring-survey-1 +done .* answers?/)
  })

  test('has a reply that its output refuses given once more, with what was wrong', async () => {
    const bodies: string[] = []
    const model: Model = (request) => {
      bodies.push(JSON.stringify(request.turns.slice(-2)))
      return Promise.resolve({ text: request.turns.at(-1)!.text.startsWith('That answer') ? 'sound' : 'fine, I think', finish: 'done' })
    }
    const library = await openLibraryFor(HOUSE, 'survey/grade')
    const ready = { ...readyModel(library, 'survey/grade', 'stand-in'), model }
    const batch = batchModel({ prompt: 'survey/grade', records: { from: 'records' }, take: 1 })
    const { counts } = await askBatch({
      library,
      folder: HOUSE,
      name: 'again',
      batch,
      records: { from: OBJECTS },
      model: ready,
      runs: at('again'),
    })
    expect(counts).toMatchObject({ written: 1, asks: 2, corrected: 1, labels: { grade: { sound: 1 } } })
    expect(bodies[1]).toContain('That answer cannot be used:\\n- \\"fine, I think\\" is none of')
  })

  test('that misbehaves in every way ends with each record answered or set aside, and none twice', async () => {
    const ways = Object.keys(MISBEHAVIOURS) as Misbehaviour[]
    const misbehave = Object.fromEntries(ways.map((way) => [way, 0.3 / ways.length]))
    await served('storm', { misbehave, takes: 5, seed: 3 }, ['wait: 0.6', 'at-once: 16', 'tries: 6'])
    const table = at('storm.csv')
    await generateObjects(250, table)
    const { code, err } = await asked('label/write', '--records', table, '--model', 'storm', '--to', at('storm.jsonl'))
    expect([0, 3]).toContain(code)
    const answered = linesOf(at('storm.jsonl')).map((line) => line['record'])
    const aside = linesOf(`${HOUSE}/runs/label-write-1/set-aside.jsonl`).map((line) => line['record'])
    expect(answered).toEqual([...answered].sort())
    expect(text(`${HOUSE}/runs/label-write-1/set-aside.jsonl`)).toContain('"answer-refused"')
    expect(new Set([...answered, ...aside]).size).toBe(250)
    expect(answered.length + aside.length).toBe(250)
    expect(answered.length).toBeGreaterThan(225)
    for (const line of linesOf(`${HOUSE}/runs/label-write-1/set-aside.jsonl`))
      expect((line['problems'] as unknown[]).length).toBeGreaterThan(0)
    expect(err).toMatch(/once more with what was wrong, \d+ requests repeated/)
  })

  test('gives up where nobody answers at all, and can be carried on', async () => {
    describeModel('gone', 'http://127.0.0.1:47119/ask', ['tries: 1'])
    const { code, err } = await asked('label/write', '--records', OBJECTS, '--model', 'gone', '--runs', at('gone'))
    expect([code, err]).toEqual([1, expect.stringContaining('"gone" answers nobody: nobody listens at its address, 20 questions in a row')])
    expect(err).toContain('[model-gone]')
    expect(dunelight('runs', HOUSE, '--runs', at('gone')).out).toMatch(/failed .*dunelight resume/)
  })

  test('finishes what is under way when it is interrupted', async () => {
    await served('slow', { takes: 150 }, ['at-once: 4'])
    const { child, ended } = start(['ask', HOUSE, 'label/write', '--records', OBJECTS, '--model', 'slow', '--runs', at('left')])
    const log = at('left/label-write-1/answers.jsonl')
    while (!existsSync(log) || text(log).split('\n').length < 9) await new Promise((resolve) => setTimeout(resolve, 10))
    child.kill('SIGINT')
    const { code, err } = await ended
    expect([code, err]).toEqual([130, expect.stringContaining('carry on')])
    const before = text(log)
    expect(linesOf(at('left/label-write-1/output.jsonl')).length).toBeLessThanOrEqual(linesOf(log).length)
    const resumed = await start(['resume', at('left/label-write-1')]).ended
    expect(resumed.code).toBe(3)
    expect(text(log).startsWith(before)).toBe(true)
    expect(linesOf(log)).toHaveLength(176)
  })
})

describe('screens', () => {
  const screens = [
    'screens:',
    '  - { name: addresses, before: personal-data }',
    '  - { name: secrets, before: key-shaped, then: stop }',
    '  - { name: long, before: tokens, most: 12, then: note }',
    '  - { before: words, of: [ghost ship], then: note }',
    '  - { after: words, of: [priceless] }',
    '  - { name: back, after: personal-data, then: set aside }',
    '  - { name: copied, after: copied, most: 5, then: note }',
    '',
  ].join('\n')
  const library = at('screened')

  async function asking(questions: readonly string[], reply: (text: string) => string) {
    cpSync(HOUSE, library, { recursive: true, filter: (path) => !/\/(?:answers|models.yaml|prompts|batches|examples|outputs)$/.test(path) })
    mkdirSync(`${library}/prompts`, { recursive: true })
    writeFileSync(`${library}/dunelight.yaml`, screens)
    writeFileSync(`${library}/prompts/p.yaml`, 'title: P\nvariables: { question: text }\nturns: [{ user: "Answer: {question}" }]\n')
    writeFileSync(at('questions.jsonl'), questions.map((question) => `${JSON.stringify({ question })}\n`).join(''))
    const opened = await openLibraryFor(library, 'p')
    const sent: string[] = []
    const model: Model = ({ turns }) => {
      const { text: said } = turns.at(-1)!
      sent.push(said)
      return Promise.resolve({ text: reply(said), finish: 'done', usage: { asked: 40, answered: 2 } })
    }
    const ready = { ...readyModel(opened, 'p', 'stand-in'), model }
    const batch = batchModel({ prompt: 'p', records: { from: 'records' }, tokens: true })
    const run = askBatch({
      library: opened,
      folder: library,
      name: 'p',
      batch,
      records: { from: at('questions.jsonl') },
      model: ready,
      again: 0,
      atOnce: 1,
      runs: at('screens'),
    })
    return { ...(await run), told: sent }
  }

  test('set aside, note or let pass, before anything is sent and when it comes back', async () => {
    const questions = [
      'Who carved the figurehead?',
      'Write to ines.brook@post.example, please.',
      'Call +49 30 901820 when it rains, or 4111 1111 1111 1111.',
      'Is the Ghost  ship real? It had three masts and a red hull, they say.',
      'What is it worth?',
    ]
    const {
      told,
      counts,
      folder: run,
    } = await asking(questions, (said) =>
      said.includes('worth') ? 'It is priceless.' : said.includes('real') ? 'It had three masts and a red hull.' : 'Nobody knows.',
    )
    expect(told).toHaveLength(3)
    expect(linesOf(join(run, 'set-aside.jsonl')).map((line) => (line['problems'] as { message: string }[])[0]!.message)).toEqual([
      'the screen "addresses" found an e-mail address in what would be sent',
      'the screen "addresses" found a telephone number in what would be sent',
      'the screen "after words" found the word "priceless" in what came back',
    ])
    expect(text(join(run, 'set-aside.jsonl'))).toContain('"screen-found"')
    const notes = linesOf(join(run, 'notes.jsonl'))
    expect(notes.filter((note) => note['record'] === '4')).toMatchObject([
      { record: '4', screen: 'long', found: expect.stringMatching(/^\d+ tokens, more than 12$/) as unknown },
      { screen: 'before words', found: 'the word "ghost ship"' },
      { screen: 'copied', found: '5 words as they stood in the prompt: "it had three masts and"' },
    ])
    expect(counts).toMatchObject({ written: 2, rejected: 3, noted: notes.length })
    expect(text(join(run, 'report.md'))).toMatch(/tokens estimated before \| \d+, [\d.]+ % less than was used/)
  })

  test('stop the run where they are told to, without repeating what they found', async () => {
    const key = `tok_${'Zx9'.repeat(10)}`
    const asked: string[] = []
    const never = Array.from({ length: 20 }, (_, i) => `Never asked ${i}.`)
    const told = await asking(['Sound.', `Use ${key}`, ...never], (said) => {
      asked.push(said)
      return 'Yes.'
    }).catch((fault: unknown) => String(fault))
    expect(asked.filter((said) => said !== 'Answer: Sound.')).toEqual([])
    expect(told).toContain('the screen "secrets" found a text that has the shape of an access key')
    expect(told).not.toContain('Zx9Zx9')
    expect(dunelight('runs', library, '--runs', at('screens')).out).toMatch(/failed/)
  })

  test('are checked as all else', () => {
    writeFileSync(
      `${library}/dunelight.yaml`,
      'screens:\n  - { before: copied }\n  - { after: words }\n  - { after: personal-data, then: drop }\n',
    )
    const { out, err } = dunelight('check', library)
    for (const words of ['"before"', '"of"', '"then"']) expect(out + err).toContain(words)
  })
})

describe('comparing', () => {
  test('holds the answers of two wordings against each other, and writes a report', async () => {
    const words = ['survey/grade', '--records', OBJECTS, '--take', '50', '--runs', at('compared')]
    const { code, out } = await start(['compare', HOUSE, ...words, '--other-persona', 'night-watch', '--to', at('compared.html')]).ended
    expect(code).toBe(0)
    expect(out).toMatch(/^made up by the stand-in/)
    const [, same, of] = /grade: the same for (\d+) of (\d+)/.exec(out)!
    const table = out
      .split('\n')
      .filter((line) => /^ {2}(?:sound|watch|treat|urgent) /.test(line))
      .map((line) =>
        line
          .trim()
          .split(/\s+/)
          .slice(1)
          .map((cell) => (cell === '·' ? 0 : Number(cell))),
      )
    expect(table.flat().reduce((sum, count) => sum + count, 0)).toBe(Number(of))
    expect(table.reduce((sum, row, i) => sum + row[i]!, 0)).toBe(Number(same))
    expect(Number(of)).toBe(50)
    expect(text(at('compared.html'))).toContain('survey/grade, as night-watch')
  })

  test('marks what only one of two texts says, and nothing in them becomes markup', async () => {
    const two = [
      {
        title: 'MH-1',
        one: [
          { text: 'brass ', own: false },
          { text: '<b>', own: true },
        ],
        other: [
          { text: 'brass ', own: false },
          { text: '"oak"', own: true },
        ],
      },
    ]
    const report = { title: 'Two', facts: [], sections: [{ title: 'T', says: [], pairs: two }] }
    expect(toHtml(report)).toContain('brass <del>&lt;b&gt;</del></blockquote><blockquote>brass <ins>&quot;oak&quot;</ins>')
    expect(toMarkdown(report)).toContain('> brass **<b>**\n\n> brass **"oak"**')
    const same = await start(['compare', HOUSE, 'survey/grade', '--records', OBJECTS]).ended
    expect([same.code, same.err]).toEqual([2, expect.stringContaining('both sides are the same')])
  })
})

describe('a run that asks and is killed', () => {
  const RECORDS = 90
  const AT_ONCE = 4

  test('at any of thirty moments asks no answered question again, and comes to the same end', async () => {
    const table = at('killed.csv')
    await generateObjects(RECORDS, table)
    const misbehave = { 'wrong-label': 0.05, empty: 0.05, figure: 0.05 }
    const lanes = await Promise.all([0, 1].map((lane) => served(`lane-${lane}`, { misbehave, takes: 20 }, [`at-once: ${AT_ONCE}`])))
    const words = (lane: number, name: string) => [
      'ask',
      HOUSE,
      'label/write',
      '--records',
      table,
      '--model',
      `lane-${lane}`,
      '--fresh',
      '--runs',
      at(name),
      '--to',
      at(`${name}.jsonl`),
    ]
    const outcome = (name: string) => [text(at(`${name}.jsonl`)), text(at(`${name}/label-write-1/set-aside.jsonl`))]
    // A stand-in answers the same question in another way when it is asked again: what was under way when all ended may be.
    const plain = (name: string) => outcome(name)[0]!.replaceAll(/"model":"lane-\d"/g, '')
    await start(words(0, 'whole')).ended
    let broken = 0
    const lane = async (which: number) => {
      for (let k = which; k < 30; k += 2) {
        const name = `k${k}`
        const before = lanes[which]!.asked()
        const { child, ended } = start(words(which, name))
        while (!existsSync(at(`${name}/label-write-1/run.json`)) && child.exitCode === null)
          await new Promise((resolve) => setTimeout(resolve, 2))
        await Promise.race([ended, new Promise((resolve) => setTimeout(resolve, Math.random() * 600))])
        child.kill('SIGKILL')
        await ended
        const kept = await AnswerLog.open(at(`${name}/label-write-1/answers.jsonl`))
        const known = kept.size
        await kept.close()
        const { err } = await start(['resume', at(`${name}/label-write-1`)]).ended
        if (!err.includes('has ended')) broken++
        const keys = linesOf(at(`${name}/label-write-1/answers.jsonl`)).map((line) => line['key'])
        expect([k, new Set(keys).size]).toEqual([k, keys.length])
        expect(lanes[which]!.asked() - before).toBeLessThanOrEqual(keys.length + AT_ONCE)
        expect(keys.length).toBeGreaterThanOrEqual(known)
        expect([...linesOf(at(`${name}.jsonl`)), ...linesOf(at(`${name}/label-write-1/set-aside.jsonl`))]).toHaveLength(RECORDS)
        if (k === 0) expect(plain(name).split('\n').length).toBe(plain('whole').split('\n').length)
      }
    }
    await Promise.all([lane(0), lane(1)])
    expect(broken).toBeGreaterThan(15)
  }, 300_000)

  test('in the middle of a line loses that line alone, and says so', async () => {
    const path = at('torn.jsonl')
    const line = (key: string) =>
      JSON.stringify({ key, record: key, prompt: 'p', model: 'm', at: '', text: `reply ${key}`, finish: 'done' })
    writeFileSync(path, `${line('a')}\n${line('b')}\n${line('c').slice(0, 30)}`)
    const said: string[] = []
    const log = await AnswerLog.open(path, (p) => said.push(p.code))
    await log.add(JSON.parse(line('d')) as never)
    expect(said).toEqual(['answer-line-broken'])
    expect([await log.get('a'), await log.get('c'), await log.get('d')]).toMatchObject(
      [{ text: 'reply a' }, {}, { text: 'reply d' }].map((one, i) => (i === 1 ? undefined : one)),
    )
    await log.close()
    const again = await AnswerLog.open(path)
    expect([again.size, (await again.get('d'))?.text]).toEqual([3, 'reply d'])
    await again.close()
  })

  test('finds its answers where another process has added some to the same file', async () => {
    const path = at('shared.jsonl')
    const answer = (key: string) => ({
      key,
      record: key,
      prompt: 'p',
      model: 'm',
      at: '',
      text: `reply ${key.repeat(9)}`,
      finish: 'done' as const,
    })
    const [one, other] = [await AnswerLog.open(path), await AnswerLog.open(path)]
    for (const key of ['a', 'b', 'c']) {
      await one.add(answer(key))
      await other.add(answer(key.toUpperCase()))
    }
    for (const key of ['a', 'b', 'c'])
      expect([(await one.get(key))?.text, (await other.get(key.toUpperCase()))?.text]).toEqual([
        answer(key).text,
        answer(key.toUpperCase()).text,
      ])
    await Promise.all([one.close(), other.close()])
  })
})
