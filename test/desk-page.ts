import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, expect } from '@jest/globals'
import { chromium, type BrowserContext, type Page } from 'playwright-core'
import { CHROMIUM_FLAGS, findChromium } from '../scripts/chromium.mjs'
import { COMMAND } from './command.js'

// The desk in a browser, for the test file that imports this: each test has a server, a library and a page of its own.

export const folder = mkdtempSync(join(tmpdir(), 'desk-'))
const AXE = createRequire(import.meta.url).resolve('axe-core/axe.min.js')
export const servers: ChildProcess[] = []
export let browser: BrowserContext
/** The library, the address and the page of the test that runs: each test has its own, so its own stored edits too. */
export let house: string
export let address: string
export let page: Page
export const faults: string[] = []
/** Milliseconds that something may take to appear on a machine that other programs use too. */
export const PATIENCE = 75_000

export async function serve(library: string, ...more: string[]): Promise<string> {
  const server = spawn(process.execPath, [COMMAND, 'open', library, '--port', '0', ...more], {
    stdio: ['ignore', 'pipe', 'ignore'],
    // Named: what a test sets is not in the environment of the process itself.
    env: { ...process.env },
  })
  servers.push(server)
  const [line] = (await once(server.stdout, 'data')) as [Buffer]
  return line.toString().trim()
}

/** Serves a new copy of the demo's library. */
export async function serveHouse(...more: string[]): Promise<void> {
  house = mkdtempSync(join(folder, 'house-'))
  cpSync('demo/marram-house', house, { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  address = await serve(house, ...more)
}

export async function newPage(): Promise<Page> {
  const opened = await browser.newPage()
  opened.setDefaultTimeout(PATIENCE)
  opened.on('console', (message) => message.type() === 'error' && faults.push(message.text()))
  opened.on('pageerror', (fault) => faults.push(fault.message))
  return opened
}

/** A new page on a new copy of the demo's library. */
export async function openHouse(...more: string[]): Promise<void> {
  await serveHouse(...more)
  page = await newPage()
  await page.goto(address)
  await turn('system').waitFor()
}

/** A page on a library of these files. */
export async function opened(files: Readonly<Record<string, string>>): Promise<Page> {
  house = mkdtempSync(join(folder, 'library-'))
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(join(house, path, '..'), { recursive: true })
    writeFileSync(join(house, path), text)
  }
  const other = await newPage()
  await other.goto(await serve(house))
  await other.getByRole('region', { name: 'finished sheet' }).waitFor()
  return other
}

beforeAll(async () => {
  browser = await chromium.launchPersistentContext(join(folder, 'profile'), {
    executablePath: findChromium(),
    args: CHROMIUM_FLAGS,
    viewport: { width: 1280, height: 800 },
  })
}, 120_000)

afterEach(async () => {
  // One page stays, so that the browser does too.
  for (const open of browser.pages().slice(1)) await open.close()
  for (const server of servers.splice(0)) server.kill()
  expect(faults.splice(0)).toEqual([])
})

afterAll(async () => {
  await browser.close()
  rmSync(folder, { recursive: true, force: true })
})

export const turn = (role: string, on = page) => on.getByRole('article', { name: `${role} turn`, exact: true })
export const strip = (on = page) => on.getByRole('status', { name: 'effect of the edits' })
export const editor = () => page.locator('.cm-content')

/** Runs a command of the page by its name. */
export async function choose(command: string, on = page): Promise<void> {
  await on.keyboard.press('Control+k')
  await on.getByRole('combobox', { name: 'find a command' }).fill(command)
  await on.keyboard.press('Enter')
}

/** Puts the cursor behind a line of the source. */
export async function behind(line: string): Promise<void> {
  await editor().locator('.cm-line', { hasText: line }).first().click()
  await page.keyboard.press('End')
}

export async function violations(on: Page): Promise<string[]> {
  await on.evaluate(readFileSync(AXE, 'utf8'))
  return on.evaluate(async () => {
    const { axe } = window as unknown as {
      axe: { run: () => Promise<{ violations: { id: string; impact: string; nodes: { target: string[] }[] }[] }> }
    }
    const { violations } = await axe.run()
    return violations.map(({ id, nodes }) => `${id}: ${nodes[0]!.target.join()}`)
  })
}
