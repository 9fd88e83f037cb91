import { readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { once } from 'node:events'
import { request } from 'node:http'
import { join } from 'node:path'
import { beforeEach, describe, expect, test } from '@jest/globals'
import {
  address,
  behind,
  choose,
  editor,
  folder,
  house,
  newPage,
  opened,
  openHouse,
  page,
  violations,
  serveHouse,
  strip,
  turn,
} from './desk-page.js'

describe('the desk', () => {
  beforeEach(async () => {
    await openHouse()
  }, 120_000)

  test('shows the records with their states, and the sheet of the chosen one', async () => {
    await strip().getByText('176 valid, 4 rejected').waitFor()
    expect(await turn('user').innerText()).toContain('Write the label for MH-0001.')
    await page.getByRole('textbox', { name: 'filter Title' }).fill('bell')
    await page.getByRole('row', { name: /Buoy bell/ }).click()
    expect(await turn('user').innerText()).toContain('Write the label for MH-0128.')
    await page.getByRole('button', { name: 'Made' }).click()
    const years = await page.locator('.grid-row').evaluateAll((rows) =>
      rows
        .map((row) => ({ top: row.getBoundingClientRect().top, made: Number(row.children[6]!.textContent) }))
        .sort((a, b) => a.top - b.top)
        .map(({ made }) => made),
    )
    expect(years.length).toBeGreaterThan(1)
    expect([...years].sort((a, b) => a - b)).toEqual(years)
    await page.getByRole('button', { name: 'show all rows' }).click()
    await page.getByRole('combobox', { name: 'rows by state' }).click()
    await page.getByRole('option', { name: 'rejected' }).click()
    await page.getByText('4 of 180').waitFor()
    await page.getByRole('row', { name: /Rocking horse/ }).click()
    expect(await page.getByRole('alert').first().innerText()).toContain('"c. 1905" is not a whole number')
    expect(await page.locator('.grid-row.chosen .unfit').innerText()).toBe('c. 1905')
  })

  test('can be used by keys alone, from the records to the sheet to its source', async () => {
    await page.getByRole('row', { name: /MH-0001/ }).focus()
    await page.keyboard.press('Home')
    await page.keyboard.press('ArrowDown')
    await turn('user').getByText('MH-0002').waitFor()
    expect(await page.evaluate(() => document.activeElement?.getAttribute('aria-selected'))).toBe('true')
    await choose('go to the sheet')
    await page.keyboard.press('ArrowRight')
    expect(await page.locator('.origin-line').innerText()).toMatch(/^persona: .*, line \d+$/)
    await page.keyboard.press('Enter')
    await page.locator('.editor[data-file="personas/registrar.yaml"] .cm-focused').waitFor()
  })

  test('leads from a span to the slot that wrote it, and from a slot to what it wrote', async () => {
    await page.getByRole('row', { name: /MH-0002/ }).click()
    const title = turn('user').locator('.from-value', { hasText: 'Net needle, large' })
    await title.hover()
    expect(await page.locator('.origin-line').innerText()).toMatch(/^from the record: item\.title · prompts\/label\/write\.yaml, line \d+$/)
    await title.click()
    await page.locator('.editor[data-file="prompts/label/write.yaml"]').waitFor()
    expect(await page.evaluate(() => window.getSelection()!.toString())).toBe('{item.title}')
    await editor().locator('.dl-variable', { hasText: 'item.kind' }).first().click()
    await turn('user').locator('.lit', { hasText: 'fishing' }).waitFor()
  })

  /** Opens the second record and the prompt's file beside it. */
  async function editPrompt(): Promise<void> {
    await page.getByRole('row', { name: /MH-0002/ }).click()
    await turn('user').locator('.from-value', { hasText: 'Net needle, large' }).click()
    await page.locator('.editor[data-file="prompts/label/write.yaml"]').waitFor()
  }

  test('renders at every key, squiggles problems, and shows how many records change', async () => {
    await editPrompt()
    await behind('Write the label for')
    await page.keyboard.type(' It is {item.titel}')
    await page.locator('.cm-lintRange-error', { hasText: 'titel' }).waitFor()
    expect(await page.getByRole('alert').first().innerText()).toContain('did you mean "title"?')
    // What was there before stays in sight, but dimmed.
    expect(await page.locator('.stale').innerText()).toContain('Write the label for MH-0002.')
    await strip().getByText('0 valid, 180 rejected').waitFor()
    for (let i = 0; i < 'titel}'.length; i++) await page.keyboard.press('Backspace')
    await page.keyboard.type('title as upper}.')
    await turn('user').getByText('NET NEEDLE, LARGE', { exact: true }).waitFor()
    await strip().getByText('176 valid, 4 rejected, 176 changed').waitFor()
    expect(await strip().innerText()).toMatch(/^In view: \d+ of \d+ changed, 0 fail\./)
    expect(await page.getByRole('row', { name: /fits, \d+ tokens, changed/ }).count()).toBeGreaterThan(5)
  })

  test('keeps edits over a reload, saves them in one step, and shows both texts after a change on the disk', async () => {
    const WRITE = join(house, 'prompts/label/write.yaml')
    await editPrompt()
    await behind('Write the label for')
    await page.keyboard.type(' It is {item.title as upper}.')
    await strip().getByText('176 valid, 4 rejected, 176 changed').waitFor()
    await page.reload()
    await turn('user').getByText('NET NEEDLE, LARGE', { exact: true }).waitFor()
    expect(readFileSync(WRITE, 'utf8')).not.toContain('as upper')
    const before = readFileSync(WRITE, 'utf8')
    writeFileSync(WRITE, before.replace('Write the label for', 'Please write the label for'))
    const asked: string[] = []
    page.on('request', (request) => asked.push(new URL(request.url()).pathname))
    const comeBack = async () => {
      const marks = page.waitForResponse(/\/api\/marks/)
      await page.evaluate(() => window.dispatchEvent(new Event('focus')))
      await marks
    }
    await comeBack()
    await page.getByText('changed on the disk: prompts/label/write.yaml').waitFor()
    await comeBack()
    await comeBack()
    // It is reported once, and fetched once.
    expect(asked.filter((path) => path === '/api/library').length).toBe(1)
    await page.getByRole('button', { name: 'Save', exact: true }).click()
    const dialog = page.getByRole('dialog', { name: /was changed on the disk/ })
    await dialog.waitFor()
    expect(await dialog.locator('.conflict ins').innerText()).toContain('It is {item.title as upper}.')
    expect(await dialog.locator('.conflict del').innerText()).toContain('Please write')
    expect(readFileSync(WRITE, 'utf8')).not.toContain('as upper')
    await dialog.getByRole('button', { name: 'Overwrite with mine' }).click()
    await page.getByText('saved prompts/label/write.yaml').waitFor()
    expect(readFileSync(WRITE, 'utf8')).toContain('Write the label for {item.object-no}. It is {item.title as upper}.')
    expect(readdirSync(join(WRITE, '..')).filter((name) => name.endsWith('.new'))).toEqual([])
    await strip().getByText('176 valid, 4 rejected').waitFor()
    await strip().filter({ hasNotText: 'changed' }).waitFor()
  })

  test('compares two wordings, and steps to where they differ', async () => {
    await page.getByRole('row', { name: /MH-0001/ }).click()
    await page.getByText('Compare', { exact: true }).click()
    await page.getByText('No differences for this record.').waitFor()
    await page.getByRole('combobox', { name: 'compared with' }).click()
    await page.getByRole('option', { name: 'persona night-watch' }).click()
    await page.locator('ins', { hasText: 'catalogued' }).first().waitFor()
    expect(await page.locator('del').first().innerText()).not.toBe('')
    await page.getByRole('button', { name: '↓ differing' }).click()
    await page.locator('.grid-row.chosen', { hasText: 'MH-0002' }).waitFor()
    await page.getByRole('combobox', { name: 'compared with' }).click()
    await page.getByRole('option', { name: 'other settings' }).click()
    await page.getByRole('textbox', { name: 'other settings' }).fill('temperature: 0.9')
    await page.getByRole('row', { name: 'temperature' }).getByText('0.9').waitFor()
  })

  test('takes values by hand, none of which becomes markup', async () => {
    await page.getByRole('row', { name: /MH-0002/ }).click()
    await page.getByText('Form', { exact: true }).click()
    const hostile = '<img src=x onerror="document.title=1"><b>bold</b>'
    await page.getByRole('textbox', { name: 'title', exact: true }).fill(hostile)
    await turn('user').getByText(hostile).first().waitFor()
    expect(await page.locator('.turn img, .turn b').count()).toBe(0)
    expect(await page.title()).toBe('Dunelight desk')
    await page.getByText('child', { exact: true }).click()
    await turn('system').getByText('You tell children at Marram House').waitFor()
    await page.getByRole('textbox', { name: 'title', exact: true }).fill('مصباح قديم')
    expect(
      await turn('user')
        .locator('.turn-text')
        .evaluate((text) => getComputedStyle(text).unicodeBidi),
    ).toBe('plaintext')
    await page.getByRole('button', { name: 'Blank form' }).click()
    await page.getByRole('alert').getByText('"item.object-no" is missing').waitFor()
    await page.getByRole('button', { name: 'Back to the record' }).click()
    await turn('user').getByText('MH-0002').waitFor()
  })

  test('takes the records of a batch as the batch does, and a form where no table fits', async () => {
    // A document that the batch gives to every record, joined tables, and a spreadsheet.
    await choose('prompt: visitor/answer')
    await strip().getByText('60 valid, 0 rejected').waitFor()
    await choose('prompt: survey/summary')
    await strip().getByText('8 valid, 0 rejected').waitFor()
    await choose('view: sheet')
    await choose('prompt: tour/stop')
    await page.getByRole('region', { name: 'values by hand' }).waitFor()
    await page.getByText('No table of this library fits this prompt').waitFor()
    await choose('prompt: label/write')
    await strip().getByText('176 valid, 4 rejected').waitFor()
  })

  test('shows what a reply is read as', async () => {
    await page.getByRole('row', { name: /MH-0002/ }).click()
    await page.getByText('Reply', { exact: true }).click()
    await page.getByRole('button', { name: 'Generate a reply' }).click()
    await page.getByText('✓ valid').waitFor()
    await page.getByText('mock: invented values').waitFor()
    const reply = page.getByRole('textbox', { name: 'the model’s reply' })
    await reply.fill(
      '{"heading": "Net needle", "body": "Bone, from the Orkneys, 1555. It is fifteen words long at the very least, as you see.", "keywords": ["net", "bone",',
    )
    await page.getByText('✕ invalid').waitFor()
    expect(await page.locator('.read-as .missing').count()).toBe(0)
    await reply.fill(
      '{"heading": "Net needle", "body": "Bone, from the Orkneys, 1555. It is fifteen words long at the very least, as you see.", "keywords": ["net", "bone", "hook"]}',
    )
    expect(await page.getByText('unsupported claims').locator('xpath=following-sibling::ul[1]').innerText()).toMatch(
      /1555[^]*Orkneys|Orkneys[^]*1555/,
    )
  })

  test('meters tokens by part against a budget, in German and in English figures, in light and dark', async () => {
    await page.getByRole('textbox', { name: 'budget in tokens' }).fill('440')
    await page.getByText(/^\d+ of 176 are over the budget$/).waitFor()
    expect(await page.locator('.meter-bar').getAttribute('aria-label')).toMatch(
      /text of the prompt \d+, from the record \d+, snippet \d+, persona \d+/,
    )
    await page.locator('input[type=file]').setInputFiles({
      name: 'many.csv',
      mimeType: 'text/csv',
      buffer: Buffer.from(`Object No.,Title\n${Array.from({ length: 1500 }, (_, i) => `X-${i},Thing\n`).join('')}`),
    })
    await page.getByText('1,500 of 1,500').waitFor()
    for (const command of ['Numbers as in German', 'Dark colours']) await choose(command)
    await page.getByText('1.500 of 1.500').waitFor()
    expect(await page.locator('html').getAttribute('data-mantine-color-scheme')).toBe('dark')
    expect(await violations(page)).toEqual([])
  })

  test('has no violations accessibility problem, and no scrollbar in its frame at either width', async () => {
    await page.getByRole('textbox', { name: 'budget in tokens' }).fill('440')
    await page.getByText(/^\d+ of 176 are over the budget$/).waitFor()
    await page.reload()
    await turn('system').waitFor()
    expect(await page.getByRole('textbox', { name: 'budget in tokens' }).inputValue()).toBe('440')
    expect(await violations(page)).toEqual([])
    for (const width of [1280, 800]) {
      await page.setViewportSize({ width, height: 800 })
      expect(await page.evaluate(() => [document.documentElement.scrollWidth, document.documentElement.scrollHeight])).toEqual([width, 800])
    }
  })
})

describe('unusual libraries', () => {
  test('a connection that breaks while the worker is loaded does not leave the table unrendered', async () => {
    await serveHouse()
    const other = await newPage()
    let broken = 0
    await other.route(/pass\.worker/, (route) => (broken++ === 0 ? route.abort('connectionreset') : route.continue()))
    await other.goto(address)
    await strip(other).getByText('176 valid, 4 rejected').waitFor()
    expect(broken).toBe(2)
  })

  test('a folder that is empty begins with a first prompt', async () => {
    const other = await opened({})
    await other.getByText('This library has no prompt yet').waitFor()
    await choose('new prompt', other)
    await other.locator('.cm-content', { hasText: 'Say good day to {name}.' }).waitFor()
    await other.keyboard.press('Control+s')
    await other.getByText('saved prompts/first.yaml').waitFor()
    expect(readFileSync(join(house, 'prompts/first.yaml'), 'utf8')).toContain('Say good day')
  })

  test('reads the documents that cells name, and says why one cannot be read', async () => {
    const other = await opened({
      'prompts/paper.yaml':
        'title: Paper\nvariables: { number: text, paper: { type: file, untrusted: true } }\nturns: [{ user: "{number}", attach: [{ from: paper, as: text }] }]\n',
      'data/papers.csv': 'number,paper\nA1,scans/a.md\nA2,data/b.txt\nA3,scans/none.md\nA4,../secret.txt\n',
      'data/scans/a.md': 'The lamp was given in 1911.',
      'data/b.txt': 'The bell was cast twice.',
    })
    await choose('records: data/papers.csv', other)
    await turn('user', other).getByText('a.md, text').click()
    await turn('user', other).getByText('given in 1911').waitFor()
    await strip(other).getByText('2 valid, 2 rejected').waitFor()
    await other.getByRole('row', { name: /A2/ }).click()
    await turn('user', other).getByText('b.txt, text').waitFor()
    await other.getByRole('row', { name: /A3/ }).click()
    await other.getByText('cannot read scans/none.md: no such file').first().waitFor()
    await other.getByRole('row', { name: /A4/ }).click()
    await other.getByText('is outside the library').first().waitFor()
  })

  test('faults, a prompt without variables, a table without rows and a value of 200 kB look meant', async () => {
    const other = await opened({
      'prompts/broken.yaml': 'title: Broken\nturns: [{ user: "{nobody}" }]\n',
      'prompts/plain.yaml': 'title: Plain\nturns: [{ user: Good day. }]\n',
      'prompts/long.yaml': 'title: Long\nvariables: { note: text }\nturns: [{ user: "{note}" }]\n',
      'data/none.csv': 'Note\n',
      'data/one.csv': `Note\n${'long '.repeat(40_000)}\n`,
    })
    const show = async (prompt: string, table: string) => {
      await choose(`prompt: ${prompt}`, other)
      await choose(`records: ${table}`, other)
    }
    await show('plain', 'data/none.csv')
    await turn('user', other).getByText('Good day.').waitFor()
    await other.getByText('This table has no rows.').waitFor()
    await show('broken', 'data/one.csv')
    await other.getByRole('alert').getByText('nobody').first().waitFor()
    await other.getByRole('button', { name: '1 error' }).click()
    await other.locator('.editor[data-file="prompts/broken.yaml"]').waitFor()
    await show('long', 'data/one.csv')
    await turn('user', other).getByText('long long').first().waitFor()
    expect((await turn('user', other).innerText()).length).toBeGreaterThan(190_000)
  })
})

describe('the server of the desk', () => {
  beforeEach(serveHouse, 120_000)

  /** A raw request: what a page of another site could send. */
  async function ask(path: string, headers: Record<string, string> = {}, method = 'GET', body = '') {
    const { port } = new URL(address)
    const own = method === 'GET' ? {} : { origin: `http://127.0.0.1:${port}` }
    const sent = request({ host: '127.0.0.1', port, path, method, headers: { ...own, ...headers } })
    sent.end(body)
    const [answer] = (await once(sent, 'response')) as [import('node:http').IncomingMessage]
    let text = ''
    for await (const chunk of answer) text += String(chunk)
    return { status: answer.statusCode, text, headers: answer.headers }
  }
  const key = () => ({ 'x-desk-key': new URL(address).hash.slice(1), 'content-type': 'application/json' })

  test('answers only to its own address and to requests with the key', async () => {
    expect((await ask('/api/library')).status).toBe(403)
    expect((await ask('/api/library', { 'x-desk-key': 'guessed' })).status).toBe(403)
    for (const host of ['marram.example', 'localhost', '127.0.0.1', '127.0.0.1:1', '[::1]:80'])
      expect((await ask('/api/library', { ...key(), host })).status).toBe(421)
    expect((await ask('/api/library', key())).status).toBe(200)
    // What asks or writes has to come from the page itself.
    for (const path of ['/api/ask', '/api/session', '/api/runs', '/api/runs/x/decide', '/api/documents'])
      for (const origin of ['http://marram.example', 'null', 'http://localhost'])
        expect([path, origin, (await ask(path, { ...key(), origin }, 'POST', '{}')).status]).toEqual([path, origin, 403])
    expect((await ask('/api/file', { ...key(), origin: '' }, 'PUT', '{}')).status).toBe(403)
    const first = await ask('/')
    expect([first.status, first.headers['content-security-policy']]).toEqual([200, expect.stringContaining("default-src 'self'")])
    // The key is in no page: a program that only fetches this address learns nothing.
    expect(first.text).not.toContain(key()['x-desk-key'])
  })

  test('reads and writes nothing beyond the library’s folder', async () => {
    writeFileSync(join(folder, 'secret.csv'), 'a\n1\n')
    writeFileSync(join(folder, 'outside.yaml'), 'title: x\n')
    symlinkSync(join(folder, 'secret.csv'), join(house, 'data/link.csv'))
    symlinkSync(folder, join(house, 'prompts/elsewhere'))
    for (const path of ['../secret.csv', 'data/link.csv', '%2e%2e/secret.csv', 'prompts', 'data/.hidden.csv', '/etc/passwd'])
      expect([path, (await ask(`/api/table?path=${path}`, key())).status]).not.toEqual([path, 200])
    const save = (path: string, was: string | null = null) =>
      ask('/api/file', key(), 'PUT', JSON.stringify({ path, text: 'title: y\n', was }))
    for (const path of [
      '../untrusted.yaml',
      'prompts/../../untrusted.yaml',
      'prompts/elsewhere/untrusted.yaml',
      'data/objects.csv',
      'package.json',
      'prompts/x.sh',
    ])
      expect([path, (await save(path)).status]).toEqual([path, path.includes('elsewhere') ? 422 : 422])
    expect(readFileSync(join(folder, 'outside.yaml'), 'utf8')).toBe('title: x\n')
    expect((await ask('/../package.json', key())).status).toBe(404)
    rmSync(join(house, 'prompts/elsewhere'))
    rmSync(join(house, 'data/link.csv'))
  })

  test('passes on tables of every kind, texts unchanged', async () => {
    expect((await ask('/api/table?path=data/objects.csv', key())).text).toBe(readFileSync(join(house, 'data/objects.csv'), 'utf8'))
    const { text, headers } = await ask('/api/table?path=data/visits.xlsx', key())
    expect([headers['x-table-format'], Object.keys(JSON.parse(text.split('\n')[0]!) as object).length > 2]).toEqual(['jsonl', true])
  })
})
