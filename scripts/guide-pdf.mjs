// Prints the demo's handling guide as the PDF next to it.
import { readFileSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { marked } from 'marked'
import { chromium } from 'playwright-core'
import { CHROMIUM_FLAGS, findChromium } from './chromium.mjs'

const DATA = 'demo/marram-house/data'
const body = marked.parse(readFileSync(`${DATA}/handling-guide.md`, 'utf8'))
const page = `<!doctype html><title>Handling things at Marram House</title><style>
body { font: 10.5pt/1.45 serif; max-width: 34em; margin: 0 auto } table { border-collapse: collapse } td, th { border: 1px solid #999; padding: 2pt 6pt; text-align: left }
</style>${body}`
const profile = mkdtempSync(join(tmpdir(), 'guide-'))
const browser = await chromium.launchPersistentContext(profile, { executablePath: findChromium(), args: CHROMIUM_FLAGS })
const tab = await browser.newPage()
await tab.setContent(page)
await tab.pdf({ path: `${DATA}/handling-guide.pdf`, format: 'A5', margin: { top: '16mm', bottom: '16mm', left: '14mm', right: '14mm' } })
await browser.close()
rmSync(profile, { recursive: true, force: true })
