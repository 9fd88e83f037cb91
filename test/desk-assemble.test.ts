import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeEach, describe, expect, test } from '@jest/globals'
import { dunelight } from './command.js'
import { house, openHouse, page, violations } from './desk-page.js'
import { docxText } from './house.js'

const parts = () => page.getByRole('listbox', { name: /^parts of the record/ })
const part = (name: RegExp) => parts().getByRole('option', { name })
const answer = (number: number) => page.getByRole('article', { name: `answer ${number}`, exact: true })
const document = () => page.getByRole('article', { name: 'document', exact: true })
const review = () =>
  readFileSync(join(house, 'runs/dossiers-1/review.jsonl'), 'utf8')
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as { record: string; does: string; answer?: number })

async function openRun(): Promise<void> {
  await page.getByText('Runs', { exact: true }).click()
  await page.getByRole('button', { name: 'dossiers-1', exact: true }).click()
  await parts().waitFor()
}

describe('an assembly on the desk', () => {
  beforeEach(async () => {
    await openHouse()
  }, 120_000)

  test('is estimated and begun among the runs; a choice leads on to the document', async () => {
    await page.getByText('Runs', { exact: true }).click()
    await page.getByRole('combobox', { name: 'assembly' }).click()
    await page.getByRole('option', { name: 'dossiers', exact: true }).click()
    await page.getByRole('button', { name: 'Estimate' }).click()
    await page.getByText(/^4 records for mock · [\d,]+ tokens to send/).waitFor()
    await page.getByRole('button', { name: 'Start the run' }).click()
    await page.getByText('… waits for a choice').waitFor()
    await openRun()
    await page.getByText('4 parts wait for a choice').waitFor()
    await document()
      .getByText(/^The document is not finished/)
      .waitFor()
    await answer(3).waitFor()
    expect(await violations(page)).toEqual([])
    await answer(2)
      .getByRole('button', { name: /^Accept/ })
      .click()
    await part(/^heading ✓ accepted/).waitFor()
    const chosen = /^Invented: .*$/m.exec(await answer(2).innerText())![0]
    await page.getByRole('button', { name: 'Ask for what follows' }).click()
    await document().getByText('Mother Agnes Holm').first().waitFor()
    expect(await document().innerText()).toContain(chosen.slice(0, 40))
    await page.getByText('3 parts wait for a choice').waitFor()
    // An answer in the document leads to its part.
    await document().locator('.span-answer[title="the answer condition.2.answer"]').click()
    await parts()
      .getByRole('option', { name: /^condition\.2/, selected: true })
      .waitFor()
    expect(await violations(page)).toEqual([])
  }, 240_000)

  test('shows what is out of date, edits and regenerates single parts by keys, and exports the document', async () => {
    const run = join(house, 'runs/dossiers-1')
    dunelight('ask', house, 'dossiers', '--record', 'L-9')
    dunelight('review', run, '--accept', 'L-9:heading=1')
    dunelight('resume', run)
    await openRun()
    await page.getByText('every choice is made').waitFor()
    await part(/^summary/).click()
    await parts().focus()
    await page.keyboard.press('g')
    await answer(2).waitFor()
    await page.keyboard.press('2')
    await part(/^summary ✓ accepted/).waitFor()
    await page.keyboard.press('e')
    const text = page.getByRole('textbox', { name: 'answer for L-9:summary by hand' })
    await text.fill('Two things of a dog go to a stand about dogs.')
    await page.keyboard.press('Control+Enter')
    await document().getByText('Two things of a dog go to a stand about dogs.').waitFor()
    // Another heading: the summary stays, and is marked.
    await part(/^heading/).click()
    await answer(2)
      .getByRole('button', { name: /^Accept/ })
      .click()
    await part(/^summary ! out of date/).waitFor()
    expect(await document().innerText()).toContain('Two things of a dog')
    const coming = page.waitForEvent('download')
    await page.getByRole('button', { name: 'Export …' }).click()
    await page.getByRole('menuitem', { name: 'Word document, although parts are out of date' }).click()
    const file = await coming
    expect(file.suggestedFilename()).toBe('L-9.docx')
    expect(docxText(await file.path())).toContain('Two things of a dog go to a stand about dogs.')
    expect(review().map(({ record, does, answer: number }) => [record, does, ...(number === undefined ? [] : [number])])).toEqual([
      ['L-9:heading', 'accept', 1],
      ['L-9:summary', 'add'],
      ['L-9:summary', 'accept', 2],
      ['L-9:summary', 'add'],
      ['L-9:summary', 'accept', 3],
      ['L-9:heading', 'accept', 2],
    ])
    // The command sees the same, and refuses without being told.
    writeFileSync(join(house, 'nothing.txt'), '')
    expect(dunelight('review', run, '--documents', join(house, 'refused')).err).toContain('[part-out-of-date]')
  }, 240_000)
})
