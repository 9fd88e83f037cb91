import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals'
import { chromium, type BrowserContext, type Page } from 'playwright-core'
import { CHROMIUM_FLAGS, findChromium } from '../scripts/chromium.mjs'
import { serveFiles } from '../scripts/serve-files.mjs'
import { makeServiceDemo, type ServiceDemo } from '../scripts/service-demo.mjs'
import { COMMAND } from './command.js'
import { eventually } from './service.js'

// The pages of the service, as the command serves them: the catalogue, the viewer, and an application of its own.

const folder = mkdtempSync(join(tmpdir(), 'dunelight-pages-'))
const built = join(folder, 'visitor-desk')
const AXE = createRequire(import.meta.url).resolve('axe-core/axe.min.js')
const faults: string[] = []
let demo: ServiceDemo
let service: ChildProcess
let address: string
let files: Awaited<ReturnType<typeof serveFiles>>
let desk: string
let browser: BrowserContext
let page: Page

beforeAll(async () => {
  demo = makeServiceDemo(folder)
  execFileSync(process.execPath, [
    'node_modules/vite/bin/vite.js',
    'build',
    'examples/visitor-desk',
    '--outDir',
    built,
    '--logLevel',
    'error',
  ])
  files = await serveFiles(built)
  desk = files.address
  const words = ['serve', demo.house, '--channel', 'live', '--callers', demo.callers, '--model', 'mock', '--port', '0', '--origin', desk]
  service = spawn(process.execPath, [COMMAND, ...words], { env: demo.env, stdio: ['ignore', 'pipe', 'ignore'] })
  const [line] = (await once(service.stdout!, 'data')) as [Buffer]
  address = line.toString().trim()
  browser = await chromium.launchPersistentContext(join(folder, 'profile'), {
    executablePath: findChromium(),
    args: CHROMIUM_FLAGS,
    viewport: { width: 1280, height: 800 },
  })
  page = await browser.newPage()
  page.setDefaultTimeout(60_000)
  page.on('console', (message) => message.type() === 'error' && !message.text().includes('401') && faults.push(message.text()))
  page.on('pageerror', (fault) => faults.push(fault.message))
}, 180_000)

afterEach(() => expect(faults.splice(0)).toEqual([]))
afterAll(async () => {
  await browser.close()
  service.kill('SIGINT')
  await once(service, 'exit')
  files.close()
  rmSync(folder, { recursive: true, force: true })
})

const isAccessible = async () => {
  await page.evaluate(readFileSync(AXE, 'utf8'))
  const run =
    '(async () => (await axe.run({ resultTypes: ["violations"] })).violations.map(({ id, nodes }) => id + ": " + nodes[0].html))()'
  expect(await page.evaluate(run)).toEqual([])
}

describe('the catalogue', () => {
  test('takes a token, and keeps it where no script can read it', async () => {
    await page.goto(address)
    await page.getByLabel('Token').fill('dl_abcdefgh_wrong')
    await page.getByRole('button', { name: 'Sign in' }).click()
    await page.getByText('the token is not valid').waitFor()
    await page.getByLabel('Token').fill(demo.token)
    await page.getByRole('button', { name: 'Sign in' }).click()
    await page.getByText('editions: live').waitFor()
    expect(await page.evaluate('document.cookie + JSON.stringify(localStorage)')).toBe('{}')
  })

  test('finds prompts by word and tag', async () => {
    const listed = () => page.getByRole('navigation', { name: 'Prompts' }).locator('a').allInnerTexts()
    await page.getByLabel('Search prompts').fill('conservator')
    await expect(listed()).resolves.toEqual([expect.stringContaining('Grade a survey note')])
    await page.getByLabel('Search prompts').fill('')
    await page.getByRole('button', { name: 'print' }).click()
    await expect(listed()).resolves.toEqual([expect.stringContaining('label/write · edition 1')])
    await page.getByRole('button', { name: 'print' }).click()
  })

  test('renders values with the origins of the text, and says what is wrong with them where it is', async () => {
    await page.goto(`${address}#${encodeURIComponent('label/write')}`)
    await page.getByText('Published on').waitFor()
    await page.getByRole('button', { name: 'Render' }).click()
    await page.getByRole('article', { name: 'user turn' }).waitFor()
    await page.getByLabel('object-no').fill('none')
    await page.getByRole('button', { name: 'Render' }).click()
    await page.getByText('The values do not match the prompt').waitFor()
    expect(await page.getByLabel('object-no').getAttribute('aria-invalid')).toBe('true')
    faults.splice(0)
    await isAccessible()
  })

  test('asks, and shows the answer with its marks', async () => {
    await page.goto(`${address}#${encodeURIComponent('survey/grade')}`)
    await page.getByRole('heading', { name: 'Grade a survey note' }).waitFor()
    await page.getByRole('button', { name: 'Ask' }).click()
    await page.getByText('mock answer').waitFor()
    await page.getByText('"grade"').waitFor()
    await isAccessible()
    await page.getByRole('tab', { name: 'Call it' }).click()
    await page.getByText(`curl ${address}render/survey/grade`.replace('//render', '/render')).waitFor()
  })

  test('leads to the viewer of the OpenAPI document, which loads nothing from elsewhere', async () => {
    const elsewhere: string[] = []
    page.on(
      'request',
      (request) => !request.url().startsWith(address) && !request.url().startsWith('data:') && elsewhere.push(request.url()),
    )
    await page.goto(`${address}reference/`)
    await page.getByText('/ask/survey/grade').waitFor()
    expect(elsewhere).toEqual([])
  })
})

describe('an application', () => {
  test('answers a visitor, piece by piece, and changes its wording while it runs when the channel moves', async () => {
    await page.goto(desk)
    await page.getByLabel('Service').fill(address)
    await page.getByLabel('Token').fill(demo.token)
    await page.getByRole('button', { name: 'Open the desk' }).click()
    await page.getByText('edition 1', { exact: true }).waitFor()
    await page.getByRole('button', { name: 'Answer' }).click()
    await page.getByText('mock answer').waitFor()
    await page.getByText('mock, edition 1').waitFor()
    const prompt = join(demo.house, 'prompts/visitor/answer.yaml')
    writeFileSync(prompt, readFileSync(prompt, 'utf8').replace('Answer it.', 'Answer it in one breath.'))
    demo.command('publish', demo.house, 'visitor/answer', '--uncommitted', '--channel', 'live')
    await page.getByText('the wording changed while you worked').waitFor()
    await page.getByText('edition 2', { exact: true }).waitFor()
    await page.getByText('Answer it in one breath.').waitFor()
    // The page looks at the channel itself; the service follows within a second.
    await eventually(async () => {
      await page.getByRole('button', { name: 'Answer' }).click()
      await page.getByText(/mock, edition \d/).waitFor()
      return page.getByText('mock, edition 2').isVisible()
    })
    demo.command('channel', demo.house, 'visitor/answer', 'live', '1')
    await page.getByText('edition 1', { exact: true }).waitFor()
    await isAccessible()
  })

  test('renders on without the service', async () => {
    service.kill('SIGSTOP')
    try {
      await page.getByText('Who decides what is an object').click()
      await page.locator('.sent', { hasText: 'Slip Q-002' }).waitFor()
    } finally {
      service.kill('SIGCONT')
    }
  })
})
