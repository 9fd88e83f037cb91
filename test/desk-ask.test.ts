import { appendFileSync, readFileSync, writeFileSync } from 'node:fs'
import { createServer, type ServerResponse } from 'node:http'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals'
import { behind, choose, editor, faults, house, openHouse, page, violations, turn } from './desk-page.js'

const SECRET = 'heron-9f31c77a2b'
const closings: (() => void)[] = []
afterEach(() => {
  for (const close of closings.splice(0)) close()
})

/** Describes a model, answered by this process; `stream`: in pieces. */
async function model(
  name: string,
  answer: (response: ServerResponse, body: { turns: { text: string }[] }, pass: string) => void,
  more: readonly string[] = ['stream: { piece: /piece, last: over }', 'envelope: back-office-aloud'],
): Promise<{ readonly count: () => number }> {
  let count = 0
  const server = createServer((request, response) => {
    let text = ''
    request.on('data', (chunk: Buffer) => (text += chunk.toString()))
    request.on('end', () => {
      count++
      answer(response, JSON.parse(text) as { turns: { text: string }[] }, String(request.headers['x-pass']))
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  closings.push(() => {
    server.closeAllConnections()
    server.close()
  })
  const { port } = server.address() as { port: number }
  const lines = [
    `  ${name}:`,
    `    url: http://127.0.0.1:${port}/ask`,
    '    headers: { x-pass: "{env.MARRAM_PASS}" }',
    '    answer: /said',
    '    attempts: 1',
    '    price: { sent: 200, received: 800, per: 1m, currency: crowns }',
    '    usage: { sent: /meter/sent, received: /meter/received }',
    ...more.map((line) => `    ${line}`),
  ]
  appendFileSync(join(house, 'models.yaml'), `${lines.join('\n')}\n`)
  return { count: () => count }
}

function piece(response: ServerResponse, text: string): void {
  response.write(`data: ${JSON.stringify({ piece: text, meter: { sent: 318, received: 22 } })}\n\n`)
}

/** A label of enough words. */
const label = (words: string) => {
  const body = `${words} It hangs where the boats come in, and whoever comes home in the dark looks for it.`
  return JSON.stringify({ heading: 'Storm lantern', body, keywords: ['storm', 'lantern', 'brass'] })
}
const variant = (number: number) => page.getByRole('article', { name: `variant ${number}`, exact: true })
const field = (name: string) => page.getByRole('table', { name: 'the answer' }).getByRole('row', { name: new RegExp(`^${name}`) })

/** Chooses a model in the view of the first variant. */
async function chooseModel(name: string, number = 1): Promise<void> {
  await page.getByRole('combobox', { name: `model of variant ${number}` }).click()
  await page.getByRole('option', { name, exact: true }).click()
}

/** The page again: models.yaml was read when the view was opened first. */
async function askView(): Promise<void> {
  await page.reload()
  await turn('system').waitFor()
  await page.getByText('Ask', { exact: true }).first().click()
  await page.getByText('requests left').waitFor()
}

describe('asking', () => {
  beforeEach(async () => {
    process.env['MARRAM_PASS'] = SECRET
    await openHouse('--requests', '3')
  }, 120_000)

  test('shows the reply as it comes, read as far as it has come; it can be given up', async () => {
    let goOn: (() => void) | undefined
    const { count } = await model('aloud', (response) => {
      response.writeHead(200, { 'content-type': 'text/event-stream' })
      piece(response, '{"heading":"Storm lantern","body":"Storm lantern of brass and gl')
      goOn = () => {
        piece(
          response,
          'ass, made in 1723. It hangs where the boats come in, and who comes home looks for it.","keywords":["storm","lantern","brass"]}',
        )
        response.end('data: over\n\n')
      }
    })
    await askView()
    await chooseModel('aloud')
    // In the editor too, before its own meaning of the key.
    await page.keyboard.press('Control+e')
    await behind('title: ')
    const before = await editor().innerText()
    await page.keyboard.press('Control+Enter')
    await field('heading').getByText('Storm lantern').waitFor()
    await field('body').getByText('Storm lantern of').waitFor()
    expect(await editor().innerText()).toBe(before)
    await variant(1).getByRole('button', { name: 'Cancel' }).click()
    await variant(1).getByText('cancelled').waitFor()
    await variant(1).getByRole('button', { name: 'Ask', exact: true }).click()
    await field('body').getByText('Storm lantern of').waitFor()
    goOn?.()
    await variant(1).getByText('✓ valid').waitFor()
    // A year that the record does not have is underlined, and the field leads there.
    expect(await page.locator('mark.claim').allInnerTexts()).toEqual(['1723'])
    await field('body').getByRole('button', { name: 'verify: 1723' }).click()
    expect(await page.evaluate(() => document.activeElement?.textContent)).toBe('1723')
    expect(await variant(1).locator('.figures').innerText()).toMatch(/318 tokens sent, 22 received · .* s · 0\.0812 crowns · complete/)
    expect(count()).toBe(2)
    expect(await page.getByText('requests left').innerText()).toBe('1 of 3 requests left')
    // Asked once more it is the cached answer, and nothing is sent without a word.
    await page.keyboard.press('Control+Enter')
    await variant(1).getByText('cached: nothing was sent').waitFor()
    expect(count()).toBe(2)
    await variant(1).getByRole('button', { name: 'ask anew' }).click()
    await field('body').getByText('Storm lantern of').waitFor()
    goOn?.()
    await variant(1).getByText('nearly the same as the reply of').waitFor()
    expect(await page.getByText('requests left').innerText()).toBe('0 of 3 requests left')
    await variant(1).getByRole('button', { name: 'Again' }).click()
    await page.getByRole('alert').getByText('the 3 requests of this session are used').waitFor()
    expect(await page.getByRole('alert').getAttribute('data-code')).toBe('session-spent')
    expect(count()).toBe(3)
    // More are allowed on the page.
    await page.getByText('requests left').click()
    await page.getByRole('textbox', { name: 'requests of this session' }).fill('9')
    await page.getByText('6 of 9 requests left').waitFor()
    // Every reply of the record is there, with the wording that gave it.
    const replies = page.getByRole('region', { name: 'earlier replies' })
    await replies.getByText('3 replies for MH-0001').waitFor()
    expect(await violations(page)).toEqual([])
  }, 240_000)

  test('of several variants beside each other the differences are marked, and each has its own figures', async () => {
    await model(
      'plain',
      (response, { turns }) => {
        const atNight = turns[0]!.text.includes('night watch')
        response.end(
          JSON.stringify({ said: label(atNight ? 'A lamp for a stormy night.' : 'A lamp of brass.'), meter: { sent: 5, received: 6 } }),
        )
      },
      ['envelope: back-office'],
    )
    await askView()
    await chooseModel('plain')
    await page.getByRole('button', { name: 'Add a variant' }).click()
    await page.getByRole('combobox', { name: 'wording of variant 2' }).click()
    await page.getByRole('option', { name: 'persona night-watch' }).click()
    await page.keyboard.press('Control+Enter')
    await variant(1).locator('.figures').waitFor()
    await variant(2).locator('.figures').waitFor()
    expect(await variant(1).locator('ins').count()).toBe(0)
    expect((await variant(2).locator('ins').allInnerTexts()).join(' ')).toContain('stormy')
    await page.getByText('2 replies for MH-0001').waitFor()
    await page.getByRole('button', { name: /persona night-watch/ }).click()
    expect(await page.locator('.earlier-prompt ins').count()).toBeGreaterThan(0)
    expect(await violations(page)).toEqual([])
    // Another record has replies of its own.
    await page.getByRole('row', { name: /MH-0003/ }).click()
    await variant(1).getByText('the reply is of another record').waitFor()
    expect(await page.getByText('2 replies for').count()).toBe(0)
  }, 240_000)

  test('no secret reaches the page, and what fails says why where it belongs', async () => {
    let pieces = 0
    await model('echo', (response, _, pass) => {
      response.writeHead(200, { 'content-type': 'text/event-stream' })
      const whole = label(`Your pass is ${pass}, they say.`)
      const send = () => {
        piece(response, whole.slice(pieces * 7, pieces * 7 + 7))
        if (++pieces * 7 < whole.length) setTimeout(send, 3)
        else response.end('data: over\n\n')
      }
      send()
    })
    await model('broken', (response) => void response.writeHead(500).end('{"why":"the till is being counted"}'))
    await askView()
    const heard: string[] = []
    page.on(
      'response',
      (response) =>
        void response.text().then(
          (text) => heard.push(text),
          () => undefined,
        ),
    )
    await page.evaluate(() => {
      const seen = new Set<string>()
      Object.assign(window, { seen })
      new MutationObserver(() => seen.add(document.body.innerText)).observe(document.body, {
        subtree: true,
        childList: true,
        characterData: true,
      })
    })
    await chooseModel('echo')
    await page.keyboard.press('Control+Enter')
    await page.getByText('Your pass is [secret], they say.').first().waitFor()
    await variant(1).locator('.figures').waitFor()
    const seen = await page.evaluate(() => [...(window as unknown as { seen: Set<string> }).seen].join('\n'))
    const stored = await page.evaluate(() => JSON.stringify(Object.entries(localStorage)))
    for (const text of [seen, stored, heard.join('\n'), readFileSync(join(house, 'answers/asked.jsonl'), 'utf8')])
      for (let i = 0; i + 9 <= SECRET.length; i++) expect(text).not.toContain(SECRET.slice(i, i + 9))
    await chooseModel('broken')
    await page.keyboard.press('Control+Enter')
    await variant(1).getByRole('alert').getByText('the till is being counted').waitFor()
    await variant(1).getByText('✕ no answer').waitFor()
  }, 240_000)

  test('what is masked goes out and is shown as masked', async () => {
    let sent = ''
    writeFileSync(
      join(house, 'prompts/thanks.yaml'),
      `title: Thanks\nvariables: { donor: text, mail: text }\nturns:\n  - user: 'Thank {donor} at {mail as masked}.'\n`,
    )
    await model(
      'post',
      (response, body) => {
        sent = JSON.stringify(body)
        response.end(JSON.stringify({ said: 'Dear donor, we write to [email 1].' }))
      },
      [],
    )
    await page.reload()
    await turn('system').waitFor()
    await choose('Prompt: thanks')
    await turn('system').waitFor({ state: 'detached' })
    await page.getByText('Form', { exact: true }).click()
    await page.getByRole('textbox', { name: 'donor', exact: true }).fill('Ansgar')
    await page.getByRole('textbox', { name: 'mail', exact: true }).fill('ansgar.dace@sandmouth.example')
    await page.getByText('Ask', { exact: true }).first().click()
    await chooseModel('post')
    await page.keyboard.press('Control+Enter')
    await variant(1).locator('.figures').waitFor()
    await page.locator('mark.masked', { hasText: 'ansgar.dace@sandmouth.example' }).waitFor()
    expect(sent).toContain('[email 1]')
    expect(sent).not.toContain('ansgar.dace')
    expect(await page.locator('mark.masked').getAttribute('title')).toBe('masked: sent as [email 1]')
  }, 240_000)

  test('a server that ends is told of, and the page goes on when it answers again', async () => {
    await page.keyboard.press('Control+e')
    await behind('title: ')
    await page.keyboard.type(' tonight')
    let isGone = true
    await page.route('**/api/**', (route) => (isGone ? route.abort() : route.continue()))
    await page.keyboard.press('Control+Enter')
    await page.getByRole('alert').getByText('Your edits are kept here').waitFor()
    isGone = false
    await page.getByText('the server answers again').waitFor()
    expect(await editor().innerText()).toContain('tonight')
    // What the browser itself says of the requests that found no server.
    expect(faults.splice(0).every((fault) => fault.includes('ERR_FAILED'))).toBe(true)
  }, 240_000)
})
