import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeEach, describe, expect, test } from '@jest/globals'
import { behind, choose, editor, house, openHouse, page, violations, turn } from './desk-page.js'
import { dunelight } from './command.js'

/** Chooses something of the menu of what can be inserted. */
async function insert(words: string): Promise<void> {
  await page.keyboard.press('Control+i')
  await page.getByRole('dialog').getByRole('combobox').fill(words)
  await page.keyboard.press('Enter')
  await page.getByRole('dialog').waitFor({ state: 'detached' })
}

const text = (path: string) => readFileSync(join(house, path), 'utf8')
const declaration = (name: string) => page.getByRole('group', { name, exact: true })

describe('building without YAML', () => {
  beforeEach(() => openHouse(), 120_000)

  test('gives the editor its cursor back when a dialog is closed, however slow the machine is', async () => {
    await page.keyboard.press('Control+e')
    await behind('Write the label for')
    const slow = await page.context().newCDPSession(page)
    await slow.send('Emulation.setCPUThrottlingRate', { rate: 6 })
    await page.keyboard.press('Control+k')
    await page.getByRole('dialog').getByRole('combobox').waitFor()
    await page.keyboard.press('Escape')
    await page.keyboard.type(' Here I am.')
    await slow.send('Emulation.setCPUThrottlingRate', { rate: 1 })
    await editor().getByText('Write the label for {item.object-no}. Here I am.').waitFor()
  }, 240_000)

  test('inserts fields with their values, snippets and formats at the cursor', async () => {
    await page.keyboard.press('Control+e')
    await behind('Write the label for')
    await page.keyboard.press('Control+i')
    const menu = page.getByRole('dialog')
    await menu.getByRole('combobox').fill('maker')
    await menu.getByText('{item.maker} — Tarrow & Sons').waitFor()
    await page.keyboard.press('Escape')
    await page.keyboard.type(' It is by ')
    await insert('{item.maker}')
    await turn('user').getByText('It is by Tarrow & Sons').waitFor()
    await insert('snippet: house/safety')
    expect(await editor().innerText()).toContain('It is by {item.maker}\n      ~ use house/safety\n')
    await insert('only where words')
    expect(await editor().innerText()).toMatch(/~ use house\/safety\s+~ when words\s+~ end\s/)
    // The editor takes each of them back.
    await page.keyboard.press('Control+z')
    await page.keyboard.press('Control+z')
    expect(await editor().innerText()).not.toMatch(/~ use house\/safety\s+~ when/)
    await page.keyboard.press('Control+s')
    await page.getByText(/^saved prompts/).waitFor()
    expect(dunelight('check', house, '--fast').code).toBe(0)
  }, 240_000)

  test('edits variables and fields as forms of the same file, and takes each change back', async () => {
    const before = text('prompts/label/write.yaml')
    await page.keyboard.press('Control+e')
    await page.getByText('Fields', { exact: true }).click()
    await declaration('words').getByRole('textbox', { name: 'default' }).fill('45')
    await page.keyboard.press('Enter')
    await turn('system').getByText('45').first().waitFor()
    await declaration('kind').getByRole('checkbox', { name: 'required' }).uncheck()
    await declaration('audience').getByRole('textbox', { name: 'help' }).fill('who reads it, and where')
    await page.keyboard.press('Tab')
    const more = page.getByRole('textbox', { name: 'new variable' })
    await more.fill('a b')
    await page.getByText('letters, digits and hyphens').waitFor()
    await more.fill('season')
    await page.keyboard.press('Enter')
    await declaration('season').waitFor()
    await page.keyboard.press('Control+s')
    await page.getByText(/^saved prompts/).waitFor()
    // Nothing but what was changed is another.
    expect(text('prompts/label/write.yaml')).toBe(
      before
        .replace('default: 60', 'default: 45')
        .replace('kind: text', 'kind: { type: text, optional: true }')
        .replace('default: adult }', 'default: adult, about: "who reads it, and where" }')
        .replace(/( {2}words: .*\n)/, '$1  season: text\n')
        .replace('default: 60', 'default: 45'),
    )
    for (let i = 0; i < 4; i++) await page.getByRole('button', { name: 'Undo' }).click()
    expect(await violations(page)).toEqual([])
    await page.getByText('Text', { exact: true }).click()
    expect(await editor().innerText()).toContain('default: 60')
  }, 240_000)

  test('begins snippets, personas and outputs that are valid as they are', async () => {
    for (const what of ['snippet', 'persona', 'output']) {
      await choose(`New ${what}`)
      await page.locator(`.editor[data-file="${what}s/first.yaml"]`).waitFor()
    }
    await choose('Save all edits')
    await page.getByRole('button', { name: 'Save', exact: true, disabled: true }).waitFor()
    expect(dunelight('check', house, '--fast').code).toBe(0)
    expect(text('personas/first.yaml')).toContain('who: You are a careful clerk.')
  }, 240_000)
})

test('every view can be used by everyone, in light and in dark', async () => {
  await openHouse()
  await page.getByText('176 valid').waitFor()
  for (const colours of ['Light', 'Dark']) {
    if (colours === 'Dark') await choose('Dark colours')
    for (const view of ['Preview', 'Compare', 'Form', 'Reply', 'Ask', 'Runs']) {
      await page.getByText(view, { exact: true }).first().click()
      await page.getByRole('main', { name: view }).waitFor()
      expect([colours, view, await violations(page)]).toEqual([colours, view, []])
    }
  }
}, 240_000)
