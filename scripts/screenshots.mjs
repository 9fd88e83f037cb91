// Takes the pictures in docs/screenshots: the page through Chromium, the command in a terminal (xterm under Xvfb, ImageMagick's import).
//   node scripts/screenshots.mjs [page] [desk] [history] [service] [terminal [NAME …]]
import { execFileSync, spawn, spawnSync } from 'node:child_process'
import { cpSync, existsSync, mkdtempSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { chromium } from 'playwright-core'
import { CHROMIUM_FLAGS, findChromium } from './chromium.mjs'
import { generateObjects } from './generate.mjs'
import { makeProductionDemo } from './production-demo.mjs'
import { COMMAND } from './demo-copy.mjs'
import { serveFiles } from './serve-files.mjs'
import { makeServiceDemo } from './service-demo.mjs'

const OUT = 'docs/screenshots'
const wanted = process.argv.slice(2)
const does = (what) => wanted.length === 0 || wanted.includes(what)
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms))

if (does('page')) await shootPage()
if (does('desk')) await shootDesk()
if (does('desk') || does('history')) await shootHistory()
if (does('service')) await shootService()
if (does('terminal')) await shootTerminal()

async function shootPage() {
  const profile = mkdtempSync(join(tmpdir(), 'shots-'))
  const browser = await chromium.launchPersistentContext(profile, {
    executablePath: findChromium(),
    args: CHROMIUM_FLAGS,
    viewport: { width: 1280, height: 800 },
  })
  const page = await browser.newPage()
  const drawn = join(profile, 'house.html')
  execFileSync(process.execPath, ['packages/cli/bin/dunelight.js', 'graph', 'demo/marram-house', '--to', drawn])
  await page.goto(`file://${drawn}`)
  await page.locator('.member', { hasText: 'label/write' }).first().hover()
  await wait(300)
  await page.screenshot({ path: `${OUT}/graph.png` })
  const demo = 'demo/marram-house'
  shootDossier(profile)
  spawnSync(process.execPath, [
    'packages/cli/bin/dunelight.js',
    'run',
    demo,
    'tonight',
    '--tokens',
    '--runs',
    join(profile, 'runs'),
    '--to',
    join(profile, 'labels.jsonl'),
  ])
  await page.goto(`file://${profile}/runs/tonight-1/report.html`)
  await page.screenshot({ path: `${OUT}/report.png` })
  const compared = join(profile, 'compared.html')
  const other = ['--other-persona', 'night-watch', '--records', `${demo}/data/objects.csv`, '--take', '60']
  spawnSync(process.execPath, [
    'packages/cli/bin/dunelight.js',
    'compare',
    demo,
    'survey/grade',
    ...other,
    '--runs',
    join(profile, 'runs'),
    '--to',
    compared,
  ])
  await page.goto(`file://${compared}`)
  await page.screenshot({ path: `${OUT}/compared.png` })
  await browser.close()
  rmSync(profile, { recursive: true, force: true })
}

/** A finished dossier as paper: the Word document of a loan, printed by LibreOffice. */
function shootDossier(profile) {
  const house = join(profile, 'house')
  cpSync('demo/marram-house', house, { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  const command = (...words) => spawnSync(process.execPath, ['packages/cli/bin/dunelight.js', ...words])
  command('ask', house, 'dossiers', '--record', 'L-8')
  command('review', join(house, 'runs/dossiers-1'), '--accept', 'L-8:heading=1')
  command('resume', join(house, 'runs/dossiers-1'))
  const from = join(house, 'out/dossiers/L-8.docx')
  execFileSync('soffice', [
    '--headless',
    `-env:UserInstallation=file://${profile}/office`,
    '--convert-to',
    'pdf',
    '--outdir',
    profile,
    from,
  ])
  execFileSync('pdftoppm', ['-png', '-r', '70', '-f', '1', '-singlefile', join(profile, 'L-8.pdf'), `${OUT}/dossier`])
}

/** The desk of a library in Chromium; `close` ends both. */
async function openDesk(house, folder, env = process.env) {
  const server = spawn(process.execPath, ['packages/cli/bin/dunelight.js', 'open', house, '--port', '0'], { env })
  const address = await new Promise((resolve) => server.stdout.once('data', (line) => resolve(`${line}`.trim())))
  const browser = await chromium.launchPersistentContext(join(folder, 'profile'), {
    executablePath: findChromium(),
    args: CHROMIUM_FLAGS,
    viewport: { width: 1280, height: 800 },
  })
  const page = await browser.newPage()
  await page.goto(address)
  const close = async () => {
    await browser.close()
    server.kill()
  }
  return { page, close }
}

/** The desk: a sheet with its source while a sentence is changed, two personas side by side, a form, a reply. */
async function shootDesk() {
  const folder = mkdtempSync(join(tmpdir(), 'shots-'))
  cpSync('demo/marram-house', join(folder, 'marram-house'), { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  const { page, close } = await openDesk(join(folder, 'marram-house'), folder)
  await page.locator('.grid-row', { hasText: 'MH-0007' }).click({ position: { x: 200, y: 10 } })
  await page.keyboard.press('Control+e')
  await page.locator('.cm-line', { hasText: 'Write the label for' }).first().click()
  await page.keyboard.press('End')
  await page.keyboard.type(' Its name is {item.title as lower}')
  await page.locator('.turn .from-value', { hasText: 'Dent above' }).hover()
  await page.getByText('176 changed').waitFor()
  await wait(800)
  await page.screenshot({ path: `${OUT}/desk.png` })
  await page.keyboard.press('Control+e')
  await page.getByText('Compare', { exact: true }).click()
  await page.getByRole('combobox', { name: 'compared with' }).click()
  await page.getByRole('option', { name: 'persona storyteller' }).click()
  await page.getByText('Form', { exact: true }).click()
  await page.getByText('child', { exact: true }).click()
  await page.getByRole('textbox', { name: 'title', exact: true }).fill('Diving helmet of the harbour’s last diver')
  await wait(300)
  await page.getByRole('button', { name: 'Back to the record' }).click()
  await page.getByText('Reply', { exact: true }).click()
  await page
    .getByRole('textbox', { name: 'the model’s reply' })
    .fill(
      'Here is the label:\n\n{"heading": "A helmet with a dent", "body": "Copper and brass, made in 1921 by Corwen Brassworks. The dent above the left port came from a shelf in Port Ellery, not from the sea. It weighs 17 kilograms.", "keywords": ["diving", "copper"]}',
    )
  await wait(300)
  await shootAsking(page)
  await close()
  rmSync(folder, { recursive: true, force: true })
}

/** Editions, channels and history, and what an edition differs in from the files as they are now. */
async function shootHistory() {
  const folder = mkdtempSync(join(tmpdir(), 'shots-'))
  const { house, env } = makeProductionDemo(folder)
  const { page, close } = await openDesk(house, folder, env)
  await page.getByText('History', { exact: true }).click()
  await page.keyboard.press('Control+k')
  await page.getByRole('combobox', { name: 'find a command' }).fill('Prompt: label/write')
  await page.keyboard.press('Enter')
  await page.locator('.timeline li').first().waitFor()
  await page.locator('.editions .history-row').nth(1).click()
  await page.getByText(/^Records: /).waitFor()
  await wait(300)
  await page.screenshot({ path: `${OUT}/desk-history.png` })
  await close()
  rmSync(folder, { recursive: true, force: true })
}

/** Asking, variants and review, with the mock model. */
async function shootAsking(page) {
  const isThere = (number) =>
    page
      .getByRole('article', { name: `variant ${number}` })
      .locator('.figures')
      .waitFor()
  await page.getByText('Ask', { exact: true }).first().click()
  await page.keyboard.press('Control+Enter')
  await isThere(1)
  await wait(300)
  await page.screenshot({ path: `${OUT}/desk-ask.png` })
  await page.getByRole('button', { name: 'Add a variant' }).click()
  await page.getByRole('combobox', { name: 'wording of variant 2' }).click()
  await page.getByRole('option', { name: 'persona night-watch' }).click()
  await page.keyboard.press('Control+Enter')
  await isThere(2)
  await page.getByRole('button', { name: 'Again' }).first().click()
  await wait(1500)
  await page.screenshot({ path: `${OUT}/desk-variants.png` })
  await page.keyboard.press('Control+s')
  await wait(500)
  await page.getByText('Runs', { exact: true }).click()
  await page.getByRole('button', { name: 'Estimate' }).click()
  await page.locator('.estimate').waitFor()
  await page.getByRole('button', { name: 'Start the run' }).click()
  await page.getByText('✓ done').waitFor()
  await page.getByRole('button', { name: 'tonight-1', exact: true }).click()
  await page.getByRole('listbox', { name: /^records of the run/ }).waitFor()
  for (const key of ['a', 'a', 'r', 'j', 'g']) {
    await page.keyboard.press(key)
    await wait(500)
  }
  await page.keyboard.press('2')
  await wait(500)
  await page.screenshot({ path: `${OUT}/desk-review.png` })
  await shootAssemble(page)
}

/** An assembly: candidates of a part beside the document that they make. */
async function shootAssemble(page) {
  await page.getByRole('button', { name: '← Runs' }).click()
  await page.getByRole('combobox', { name: 'assembly' }).click()
  await page.getByRole('option', { name: 'dossiers', exact: true }).click()
  await page.getByRole('button', { name: 'Estimate' }).click()
  await page.locator('.estimate').waitFor()
  await page.getByRole('button', { name: 'Start the run' }).click()
  await page.getByText('… waits for a choice').waitFor()
  await page.getByRole('button', { name: 'dossiers-1', exact: true }).click()
  const parts = page.getByRole('listbox', { name: /^parts of the record/ })
  await page.getByRole('article', { name: 'answer 2', exact: true }).waitFor()
  await parts.focus()
  await page.keyboard.press('2')
  await parts.getByRole('option', { name: /^heading ✓ accepted/ }).waitFor()
  await page.getByRole('button', { name: 'Ask for what follows' }).click()
  await page.locator('.document-text').waitFor()
  await page.keyboard.press('Tab')
  await parts.getByRole('option', { name: /^heading/ }).click()
  await wait(500)
  await page.screenshot({ path: `${OUT}/desk-assemble.png` })
}

async function shootTerminal() {
  const folder = mkdtempSync(join(tmpdir(), 'shots-'))
  mkdirSync(join(folder, 'faulty/prompts'), { recursive: true })
  mkdirSync(join(folder, 'faulty/snippets'))
  mkdirSync(join(folder, 'production'))
  writeFileSync(
    join(folder, 'faulty/prompts/label.yaml'),
    'title: Write a label\nabuot: The card beside an object.\nvariables:\n  item: { type: record, fields: { title: text, made: integer } }\n  note: { type: text, untrusted: true }\nturns:\n  - user: |\n      Write the label for {item.titel}, made in {item.made as numbr}.\n      The surveyor says: {note}\n      ~ use house/stlye\n',
  )
  mkdirSync(join(folder, 'faulty/snippets/house'))
  writeFileSync(join(folder, 'faulty/snippets/house/style.md'), 'Plain words.\n')
  const command = `${process.cwd()}/packages/cli/bin/dunelight.js`
  const demo = 'demo/marram-house'
  const only = wanted.filter((name) => !['terminal', 'page', 'desk', 'history'].includes(name))
  const { house, env: production } = makeProductionDemo(join(folder, 'production'))
  const shots = {
    check: [`dunelight check ${join(folder, 'faulty')}`, `cd ${folder} && node ${command} check faulty`],
    editions: [
      `dunelight history . label/write; dunelight editions . label/write; dunelight diff . label/write live`,
      `cd ${house}; node ${command} history . label/write; echo; node ${command} editions . label/write; echo; FORCE_COLOR=1 node ${command} diff . label/write live | head -31; cd ${process.cwd()}`,
    ],
    fit: [
      `dunelight fit ${demo} label/write --records register-from-the-office.csv`,
      `cd ${folder}; node ${command} fit ${process.cwd()}/${demo} label/write --records register-from-the-office.csv; cd ${process.cwd()}`,
    ],
    run: [
      `dunelight run ${demo} tonight; dunelight run ${demo} label/write --records half-a-million.csv`,
      `cd ${folder}; node ${command} run ${process.cwd()}/${demo} tonight --runs runs --to labels.jsonl; echo; node ${command} runs ${process.cwd()}/${demo} --runs runs; echo; touch finished; node ${command} run ${process.cwd()}/${demo} label/write --records half-a-million.csv --runs runs --to half-a-million.jsonl --workers 2; cd ${process.cwd()}`,
    ],
    ask: [
      `dunelight ask ${demo} label/write … --record MH-0007 --candidates 2; dunelight review …; dunelight ask … survey/grade; dunelight ask … label/write`,
      `cd ${folder}; node ${command} mock ${process.cwd()}/${demo} --delay 300 --faults busy=4%,dropped=3%,empty=4%,refusal=1% >/dev/null 2>&1 & sleep 1; export MARRAM_PASS=heron; cd ${folder}; node ${command} ask ${process.cwd()}/${demo} label/write --records ${process.cwd()}/${demo}/data/objects.csv --record MH-0007 --candidates 2 --runs asked 2>/dev/null | fold -s -w 138; node ${command} review asked/label-write-1 --accept MH-0007=2; node ${command} review asked/label-write-1 2>/dev/null; echo; node ${command} ask ${process.cwd()}/${demo} survey/grade --records ${process.cwd()}/${demo}/data/objects.csv --faults wrong-label=15%,in-prose=10%,empty=8% --runs runs --to graded.csv --take 60; echo; touch finished; node ${command} ask ${process.cwd()}/${demo} label/write --records ${process.cwd()}/${demo}/data/objects.csv --model back-office --fresh --runs runs`,
    ],
    origins: [
      `dunelight show ${demo} label/write --records ${demo}/data/objects.csv --record MH-0128`,
      `node ${command} show ${demo} label/write --records ${demo}/data/objects.csv --record MH-0128`,
    ],
  }
  const register = readFileSync(`${demo}/data/objects.csv`, 'utf8')
  const office = register
    .replace('Object No.,Title,Kind', 'Object Number,Title,Sort')
    .replace('Survey note,Surveyed', 'Survey notes,Surveyed')
  writeFileSync(join(folder, 'register-from-the-office.csv'), office.replace(/,(20\d\d)-(\d\d)-(\d\d),/g, ',$3.$2.$1,'))
  await generateObjects(500_000, join(folder, 'half-a-million.csv'))
  for (const [name, [shown, run]] of Object.entries(shots)) {
    if (only.length > 0 && !only.includes(name)) continue
    const script = join(folder, `${name}.sh`)
    writeFileSync(
      script,
      `printf '\\033[?25l$ %s\\n' "${shown.replace(`${folder}/`, '')}"\n${run}\ntouch ${join(folder, 'finished')}\nsleep 60\n`,
    )
    rmSync(join(folder, 'finished'), { force: true })
    const display = spawn('Xvfb', [':77', '-screen', '0', '1280x800x24'], { stdio: 'ignore' })
    await wait(900)
    const env = { ...process.env, DUNELIGHT_STATE: production.DUNELIGHT_STATE, DISPLAY: ':77', TERM: 'xterm-256color', NO_COLOR: '' }
    const terminal = spawn(
      'xterm',
      ['-fa', 'DejaVu Sans Mono', '-fs', '11', '-geometry', '142x44+0+0', '-bg', '#fbf8f0', '-fg', '#22302f', '-e', 'bash', script],
      { env, stdio: 'ignore' },
    )
    // Two pictures show a run in progress: their last command begins with the file.
    for (let i = 0; i < 600 && !existsSync(join(folder, 'finished')); i++) await wait(100)
    await wait({ run: 5000, ask: 4000 }[name] ?? 300)
    execFileSync('import', ['-window', 'root', `${OUT}/${name}.png`], { env })
    terminal.kill()
    display.kill()
    await wait(300)
  }
  rmSync(folder, { recursive: true, force: true })
}

/** The pages of the service: the catalogue with an answer, one prompt with its turns, and an application whose wording has just changed. */
async function shootService() {
  const folder = mkdtempSync(join(tmpdir(), 'shots-'))
  const { house, env, callers, token, command } = makeServiceDemo(folder)
  const built = join(folder, 'desk')
  execFileSync(process.execPath, [
    'node_modules/vite/bin/vite.js',
    'build',
    'examples/visitor-desk',
    '--outDir',
    built,
    '--logLevel',
    'error',
  ])
  const files = await serveFiles(built)
  const desk = files.address
  const words = ['serve', house, '--channel', 'live', '--callers', callers, '--model', 'mock', '--port', '0', '--origin', desk]
  const server = spawn(process.execPath, [COMMAND, ...words], { env, stdio: ['ignore', 'pipe', 'ignore'] })
  const address = await new Promise((resolve) => server.stdout.once('data', (data) => resolve(String(data).trim())))
  const browser = await chromium.launchPersistentContext(join(folder, 'profile'), {
    executablePath: findChromium(),
    args: CHROMIUM_FLAGS,
    viewport: { width: 1280, height: 800 },
  })
  const page = await browser.newPage()
  await page.goto(`${address}#${encodeURIComponent('survey/grade')}`)
  await page.getByLabel('Token').fill(token)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.getByLabel('survey-note').fill('Rust on the lower hinge, and it spreads under the paint.')
  await page.getByLabel('object-no').fill('MH-0007')
  await page.getByRole('button', { name: 'Ask' }).click()
  await page.getByText('mock answer').waitFor()
  await wait(600)
  await page.mouse.move(0, 0)
  await page.screenshot({ path: `${OUT}/catalogue.png` })
  await page.goto(`${address}#${encodeURIComponent('label/write')}`)
  await page.getByText('The card beside an object').waitFor()
  await page.getByRole('button', { name: 'Render' }).click()
  await page.getByText('fingerprint').waitFor()
  await page.mouse.move(0, 0)
  await page.screenshot({ path: `${OUT}/catalogue-prompt.png` })
  await page.goto(desk)
  await page.getByLabel('Service').fill(address)
  await page.getByLabel('Token').fill(token)
  await page.getByRole('button', { name: 'Open the desk' }).click()
  await page.getByRole('button', { name: 'Answer' }).waitFor()
  await page.getByText('edition 1', { exact: true }).waitFor()
  const prompt = join(house, 'prompts/visitor/answer.yaml')
  writeFileSync(prompt, readFileSync(prompt, 'utf8').replace('You answer the slips', 'You answer, kindly and in one breath, the slips'))
  command('publish', house, 'visitor/answer', '--uncommitted', '--note', 'kinder', '--channel', 'live')
  await page.getByText('edition 2', { exact: true }).waitFor()
  await wait(1000)
  await page.getByRole('button', { name: 'Answer' }).click()
  await page.getByText('mock answer').waitFor()
  await page.mouse.move(0, 0)
  await wait(600)
  await page.screenshot({ path: `${OUT}/visitor-desk.png` })
  await browser.close()
  files.close()
  server.kill('SIGINT')
  await new Promise((resolve) => server.once('exit', resolve))
  rmSync(folder, { recursive: true, force: true })
}
