import { execFileSync } from 'node:child_process'
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import type { Channels } from 'dunelight/editions'
import { build } from 'esbuild'
import { approveEdition, publishEditions } from '@dunelight/node'
import { choose, faults, house, openHouse, page, violations } from './desk-page.js'
import { gitIn } from './repository.js'
import { approversText, makeKey } from './signing.js'

const before = process.env['DUNELIGHT_STATE']
beforeAll(() => {
  process.env['DUNELIGHT_STATE'] = join(execFileSync('mktemp', ['-d'], { encoding: 'utf8' }).trim(), 'state')
})
afterAll(() => {
  if (before === undefined) delete process.env['DUNELIGHT_STATE']
  else process.env['DUNELIGHT_STATE'] = before
})

const editions = () => page.locator('.editions > li')
const commits = () => page.locator('.timeline > li')
const difference = () => page.getByLabel('what differs')
const channels = () => (JSON.parse(readFileSync(join(house, 'editions/channels.json'), 'utf8')) as Channels).channels['label/write']

/** Changes a file, and commits it. */
function commit(path: string, from: string, to: string, subject: string): void {
  const text = readFileSync(join(house, path), 'utf8')
  expect(text).toContain(from)
  writeFileSync(join(house, path), text.replace(from, to))
  gitIn(house, 'add', '-A')
  gitIn(house, 'commit', '-qm', subject)
}

/** Verifies in the page what Node has signed. */
async function standingInPage(approvers: string): Promise<unknown> {
  const { outputFiles } = await build({
    stdin: { contents: "export * from 'dunelight/editions'", resolveDir: process.cwd() },
    bundle: true,
    format: 'iife',
    globalName: 'editions',
    platform: 'browser',
    conditions: ['@dunelight/source'],
    write: false,
    logLevel: 'silent',
  })
  const folder = join(house, 'editions/label/write')
  const texts = Object.fromEntries(readdirSync(folder).map((name) => [name, readFileSync(join(folder, name), 'utf8')]))
  await page.evaluate(outputFiles[0]!.text.replace('var editions', 'window.editions'))
  return page.evaluate(
    ({ texts, approvers }) => {
      const e = (window as unknown as { editions: typeof import('dunelight/editions') }).editions
      const [name, text] = Object.entries(texts).find(([file]) => /^1-\w+\.json$/.test(file))!
      const edition = e.readEdition(text)
      if (typeof edition === 'string') return edition
      const digest = e.digestOf(new TextEncoder().encode(text))
      const statements = Object.keys(texts).flatMap((file) => (file === name ? [] : [e.readStatement(texts[file]!)])) as Parameters<
        typeof e.standingOf
      >[1]
      const judge = (number: number) =>
        e.standingOf(
          { library: edition.library, name: 'label/write', number, digest, tags: [] },
          statements,
          e.readApprovers(approvers, 'approvers.yaml'),
        )
      return [judge(1), judge(2)].map(({ isApproved, publisher }) => [isApproved, publisher])
    },
    { texts, approvers },
  )
}

async function openHistory(): Promise<void> {
  await openHouse()
  gitIn(house, 'init', '-q', '-b', 'main')
  gitIn(house, 'config', 'user.name', 'Hesper Dace')
  gitIn(house, 'add', '-A')
  gitIn(house, 'commit', '-qm', 'Begin')
  await choose('Prompt: label/write')
}

test('editions are published and channels moved from the page; what has changed is shown by record', async () => {
  await openHistory()
  await page.getByText('History', { exact: true }).click()
  await page.getByText('There are none yet.').waitFor()
  expect(await commits().allInnerTexts()).toEqual([expect.stringContaining('Begin')])
  await page.getByRole('textbox', { name: 'what is new' }).fill('the first')
  await page.getByRole('button', { name: 'Publish' }).click()
  await page.getByText('published edition 1', { exact: true }).waitFor()
  await editions().getByRole('button', { name: 'make it live' }).click()
  await page.getByText('live is edition 1', { exact: true }).waitFor()
  expect(channels()).toMatchObject({ live: { edition: 1 } })
  commit('snippets/house/style.yaml', 'Name the material before the feeling.', 'Name the material first.', 'Leave feelings out')
  writeFileSync(
    join(house, 'prompts/label/write.yaml'),
    readFileSync(join(house, 'prompts/label/write.yaml'), 'utf8').replace('Write the label', 'Write the card'),
  )
  await page.getByRole('button', { name: 'Publish' }).click()
  await page.getByText('not committed: prompts/label/write.yaml').waitFor()
  // What the browser itself says of a refusal.
  expect(faults.splice(0)).toEqual([expect.stringContaining('status of 422')])
  await page.getByRole('checkbox', { name: 'although not committed' }).check()
  await page.getByRole('button', { name: 'Publish' }).click()
  await page.getByText('published edition 2', { exact: true }).waitFor()
  await editions().nth(1).getByRole('button', { name: '1 the first' }).click()
  await difference().getByText('Records: 176 of 180 differ').waitFor()
  expect(await difference().locator('del').allInnerTexts()).toContain('label')
  expect(await difference().locator('ins').allInnerTexts()).toContain('card')
  expect(await difference().innerText()).toContain('snippets/house/style.yaml: changed')
  await commits().filter({ hasText: 'Leave feelings out' }).getByRole('button').click()
  await difference()
    .getByRole('heading', { name: /^label\/write@git:[\da-f]{12} → the working files$/ })
    .waitFor()
  expect(await commits().allInnerTexts()).toEqual([
    expect.stringContaining('The files as they are now'),
    expect.stringContaining('snippet house/style'),
    expect.stringContaining('edition 1'),
  ])
  expect(await violations(page)).toEqual([])
  // An edition is a wording to ask in.
  await page.getByText('Ask', { exact: true }).first().click()
  await page.getByRole('combobox', { name: 'wording of variant 1' }).click()
  await page.getByRole('option', { name: 'edition 1' }).click()
  await page.keyboard.press('Control+Enter')
  await page.getByRole('article', { name: 'variant 1' }).locator('.figures').waitFor()
  expect(readFileSync(join(house, 'answers/asked.jsonl'), 'utf8')).toContain('Write the label for')
}, 240_000)

test('where approvers decide, the page shows the commands that sign, and signs nothing', async () => {
  await openHistory()
  const keys = { director: makeKey(), registrar: makeKey() }
  writeFileSync(join(house, 'approvers.yaml'), approversText(keys, 'publishers: [director]\nrules: [{ needs: 1 }]'))
  gitIn(house, 'add', '-A')
  gitIn(house, 'commit', '-qm', 'Name the approvers')
  await page.getByText('History', { exact: true }).click()
  await page.getByText('There are none yet.').waitFor()
  await page.getByRole('button', { name: 'Publish' }).click()
  await page.getByText('published edition 1', { exact: true }).waitFor()
  const command = () => editions().getByRole('textbox')
  expect(await command().inputValue()).toBe(`dunelight publish ${house} label/write --signing-key FILE`)
  expect(await page.getByRole('button', { name: /^make it/ }).count()).toBe(0)
  expect(readdirSync(join(house, 'editions/label/write'))).toHaveLength(1)
  await publishEditions(house, ['label/write'], { key: keys.director })
  await choose('Prompt: tour/stop')
  await page.getByText('There are none yet.').waitFor()
  await choose('Prompt: label/write')
  await page.getByText('0 of 1 approvals').waitFor()
  expect(await command().inputValue()).toBe(`dunelight approve ${house} label/write@1 --signing-key FILE`)
  expect(await violations(page)).toEqual([])
  await approveEdition(house, 'label/write', 1, keys.registrar)
  // The page's own library verifies the same signatures: for this edition, and for no other.
  expect(await standingInPage(readFileSync(join(house, 'approvers.yaml'), 'utf8'))).toEqual([
    [true, 'director'],
    [false, undefined],
  ])
}, 240_000)
