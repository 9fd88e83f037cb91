// The desk in Chromium: from the page's beginning to its first sheet, from a key to the new sheet, on the demo and with 100,000 rows.
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { cpSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { chromium } from 'playwright-core'
import { CHROMIUM_FLAGS, findChromium } from '../scripts/chromium.mjs'
import { objectsTable } from './tables.mjs'

const STARTS = 5
const WORDS = ' It hangs by the door, and nobody has ever asked why.'
const PAGES = 'packages/cli/dist/pages/assets'

export async function benchDesk(say) {
  const folder = mkdtempSync(join(tmpdir(), 'bench-desk-'))
  const house = join(folder, 'house')
  cpSync('demo/marram-house', house, { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  const many = await objectsTable(100_000)
  const server = spawn(process.execPath, ['packages/cli/bin/dunelight.js', 'open', house, '--port', '0'], {
    stdio: ['ignore', 'pipe', 'ignore'],
  })
  const address = `${(await once(server.stdout, 'data'))[0]}`.trim()
  const browser = await chromium.launchPersistentContext(join(folder, 'profile'), {
    executablePath: findChromium(),
    args: CHROMIUM_FLAGS,
    viewport: { width: 1280, height: 800 },
  })
  const size = (end) =>
    readdirSync(PAGES)
      .filter((name) => name.endsWith(end))
      .map((name) => [name, gzipSync(readFileSync(join(PAGES, name))).length / 1000])
  say('\nThe desk:')
  for (const [name, kb] of size('.js')) say(`  ${name.replace(/-[\w-]{8}\.js$/, '').padEnd(14)} ${kb.toFixed(0)} kB gzip`)
  const starts = []
  let page
  for (let i = 0; i < STARTS; i++) {
    page = await browser.newPage()
    await page.goto(address)
    await page.waitForFunction(() => globalThis.desk?.state?.pass.pass?.done)
    starts.push(await page.evaluate(() => globalThis.desk.firstSheet))
    if (i < STARTS - 1) await page.close()
  }
  say(`  start to first sheet     ${median(starts).toFixed(0)} ms`)
  say(`  a key, on the demo       ${await keys(page)}`)
  await page.locator('input[type=file]').setInputFiles(many)
  await page.waitForFunction(
    () => globalThis.desk.state.table.table?.rows.length === 100_000 && globalThis.desk?.state?.pass.pass?.done,
    undefined,
    {
      timeout: 120_000,
    },
  )
  say(`  a key, 100,000 rows      ${await keys(page)}`)
  const scroll = await page.evaluate(async () => {
    const grid = globalThis.document.querySelector('.grid-scroll')
    const frames = []
    for (let i = 0, last = performance.now(); i < 60; i++) {
      grid.scrollTop += 130
      await new Promise((resolve) => globalThis.requestAnimationFrame(resolve))
      const now = performance.now()
      frames.push(now - last)
      last = now
    }
    return frames
  })
  say(`  a frame of scrolling     ${median(scroll).toFixed(0)} ms`)
  await browser.close()
  server.kill()
  rmSync(folder, { recursive: true, force: true })
}

/** From a key to the sheet that it makes, as the page sees it: the first change of the sheet after the key came down. */
async function keys(page) {
  await page.evaluate(() => {
    const { desk } = globalThis
    desk.editing.open('prompts/label/write.yaml')
    desk.selection.show('sheet')
    globalThis.took = []
    let down = 0
    globalThis.addEventListener('keydown', (event) => (down = event.timeStamp), true)
    globalThis.watching?.disconnect()
    globalThis.watching = new globalThis.MutationObserver(() => {
      if (down > 0) globalThis.took.push(performance.now() - down)
      down = 0
    })
    globalThis.watching.observe(globalThis.document.querySelector('.sheet-scroll'), {
      subtree: true,
      childList: true,
      characterData: true,
      attributes: true,
    })
  })
  await page.locator('.cm-line', { hasText: 'Write the label for' }).first().click()
  await page.keyboard.press('End')
  for (const character of WORDS) {
    await page.keyboard.press(character === ' ' ? 'Space' : character)
    await page.waitForTimeout(60)
  }
  const took = await page.evaluate(() => globalThis.took)
  const sorted = [...took].sort((a, b) => a - b)
  return `${median(took).toFixed(0)} ms in the middle, ${sorted[Math.floor(sorted.length * 0.95)].toFixed(0)} ms at most for 19 of 20 (${took.length} keys)`
}

function median(list) {
  return [...list].sort((a, b) => a - b)[list.length >> 1]
}
