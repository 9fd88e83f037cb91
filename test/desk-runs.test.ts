import { appendFileSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals'
import { serveMock, openLibrary, type MockServer } from '@dunelight/node'
import { behind, choose, editor, house, openHouse, page, violations } from './desk-page.js'
import { dunelight } from './command.js'

const list = () => page.getByRole('listbox', { name: /^records of the run/ })
const chosen = () => list().getByRole('option', { selected: true })
const run = (name: string) => page.getByRole('table', { name: 'runs of this library' }).getByRole('row', { name: new RegExp(`^${name}`) })
const lines = (path: string) =>
  readFileSync(join(house, path), 'utf8')
    .split('\n')
    // A run that is paused at once has no answer yet.
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Record<string, unknown>)
const models: MockServer[] = []
afterEach(async () => {
  for (const model of models.splice(0)) await model.close()
})

/** A model over HTTP: the mock, with what goes wrong with services. */
async function service(name: string, options: Omit<Parameters<typeof serveMock>[0], 'library'>): Promise<MockServer> {
  const server = await serveMock({ library: await openLibrary(house), ...options })
  models.push(server)
  const keys = ['answer: /said', 'envelope: back-office', 'finish: { at: /why, cut-off: [cut-off], refused: [refused] }', 'concurrency: 2']
  appendFileSync(join(house, 'models.yaml'), `  ${name}:\n    url: ${server.url}\n${keys.map((key) => `    ${key}\n`).join('')}`)
  return server
}

/** Estimates a run of these records and starts it. */
async function start(model: string, take?: number): Promise<void> {
  await page.getByText('Runs', { exact: true }).click()
  await page.getByRole('combobox', { name: 'model' }).click()
  await page.getByRole('option', { name: model, exact: true }).click()
  if (take !== undefined) await page.getByRole('textbox', { name: 'first records only' }).fill(String(take))
  await page.getByRole('button', { name: 'Estimate' }).click()
  await page.locator('.estimate').waitFor()
  await page.getByRole('button', { name: 'Start the run' }).click()
}

describe('runs of the desk', () => {
  beforeEach(async () => {
    await openHouse('--requests', '60')
  }, 120_000)

  test('an estimate comes first; a run is paused, resumed and asked for nothing twice, whatever the service does', async () => {
    const server = await service('office', { delay: 40, seed: 3, faults: { busy: 0.1, 'cut-off': 0.1 } })
    await choose('Prompt: survey/grade')
    await start('office', 30)
    expect(await page.locator('.estimate').innerText()).toMatch(
      /^30 records for office · [\d,]+ tokens to send · 60 requests left in this session$/,
    )
    await page.getByRole('button', { name: 'pause spring-survey-1' }).click()
    await run('spring-survey-1').getByText('‖ paused').waitFor()
    expect(lines('runs/spring-survey-1/answers.jsonl').length).toBeLessThan(30)
    await page.getByRole('button', { name: 'resume spring-survey-1' }).click()
    await run('spring-survey-1').getByText('✓ done').waitFor()
    const answers = lines('runs/spring-survey-1/answers.jsonl')
    expect(new Set(answers.map(({ key }) => key)).size).toBe(answers.length)
    expect(server.requests()).toBeLessThan(80)
    expect(dunelight('runs', house).out).toContain('spring-survey-1')
    expect(await violations(page)).toEqual([])
    // What is left of the session does not do for another: the run pauses there and says why.
    await start('office', 90)
    expect(await page.locator('.estimate').innerText()).toContain('it will pause there')
    await run('spring-survey-2').getByText('requests of this session are used').waitFor()
  }, 240_000)

  test('a run waits for edits to be saved', async () => {
    await page.keyboard.press('Control+e')
    await behind('title: ')
    await page.keyboard.type(' anew')
    await page.getByText('Runs', { exact: true }).click()
    await page.getByRole('button', { name: 'Estimate' }).click()
    await page.locator('.estimate').waitFor()
    expect(await page.getByRole('button', { name: 'Start the run' }).isDisabled()).toBe(true)
    await page.getByRole('button', { name: 'save the edited file' }).click()
    await page.getByText(/^saved prompts/).waitFor()
    expect(await page.getByRole('button', { name: 'Start the run' }).isEnabled()).toBe(true)
    expect(await editor().innerText()).toContain('anew')
  }, 240_000)

  test('answers are reviewed by keys alone, and every decision is on the disk at once', async () => {
    await start('mock', 12)
    await page.getByRole('button', { name: 'tonight-1', exact: true }).click()
    await list().waitFor()
    const decisions = () =>
      lines('runs/tonight-1/review.jsonl').map(({ record, does, answer }) => [record, does, answer].filter((part) => part !== undefined))
    await page.keyboard.press('a')
    await chosen().getByText('MH-0002').waitFor()
    await page.keyboard.press('r')
    await chosen().getByText('MH-0003').waitFor()
    await page.keyboard.press('g')
    const second = page.getByRole('article', { name: 'answer 2' })
    await second.waitFor()
    await page.keyboard.press('1')
    await page.getByRole('article', { name: 'answer 1' }).getByText('✓ accepted').waitFor()
    await page.keyboard.press('2')
    await second.getByText('✓ accepted').waitFor()
    expect(decisions()).toEqual([
      ['MH-0001', 'accept', 1],
      ['MH-0002', 'discard'],
      ['MH-0003', 'add'],
      ['MH-0003', 'accept', 1],
      ['MH-0003', 'accept', 2],
    ])
    // A single field, the rest from the answer that was accepted.
    await page.getByRole('button', { name: 'keywords', exact: true }).click()
    await page.getByText('keywords regenerated, the rest of answer 2').waitFor()
    // By hand: what cannot be read says why, and is not lost.
    await list().focus()
    await page.keyboard.press('j')
    await page.keyboard.press('e')
    const text = page.getByRole('textbox', { name: 'answer for MH-0004 by hand' })
    const whole = await text.inputValue()
    await text.fill('{"heading":"A sledge"')
    await page.keyboard.press('Control+Enter')
    await page.getByRole('alert').getByText('"body" is missing').waitFor()
    expect(await text.inputValue()).toBe('{"heading":"A sledge"')
    await text.fill(whole.replace(/"heading":"[^"]*"/, '"heading":"Painted by hand"'))
    await page.getByRole('button', { name: 'Keep and accept' }).click()
    await page.getByText('edited by hand').waitFor()
    await page.getByRole('button', { name: 'Accept all without doubts' }).click()
    await page.getByText(/^\d+ accepted$/).waitFor()
    // The command sees the same.
    const reviewed = dunelight('review', join(house, 'runs/tonight-1'), '--json').out
    expect(reviewed).toContain('Painted by hand')
    expect(reviewed.match(/"state":"discarded"/g)).toHaveLength(1)
    // Letters do nothing where they are switched off, or the focus is elsewhere.
    const before = decisions().length
    await page.getByRole('switch', { name: 'letter keys' }).click()
    await list().focus()
    await page.keyboard.press('r')
    await page.keyboard.press('ArrowDown')
    expect(decisions()).toHaveLength(before)
    expect(await violations(page)).toEqual([])
  }, 240_000)

  test('a run is filtered, exported, and gives no example cases that no model wrote', async () => {
    await choose('Prompt: survey/grade')
    await start('mock', 20)
    await page.getByRole('button', { name: 'spring-survey-1', exact: true }).click()
    await list().waitFor()
    expect(await list().getByRole('option').count()).toBe(20)
    await page.getByRole('combobox', { name: 'records by label' }).click()
    const option = page.locator('.mantine-Select-option:visible').first()
    const label = await option.innerText()
    await option.click()
    const some = await list().getByRole('option').count()
    expect(some).toBe(
      lines('runs/spring-survey-1/output.jsonl').filter(({ answer }) => (answer as { grade: string }).grade === label).length,
    )
    for (const [name, ending, first] of [
      ['CSV', 'csv', 'Object No.,Title'],
      ['JSON Lines', 'jsonl', '{"record":"MH-0001"'],
      ['XLSX', 'xlsx', 'PK'],
    ] as const) {
      const coming = page.waitForEvent('download')
      await page.getByRole('button', { name: 'Export …' }).click()
      await page.getByRole('menuitem', { name }).click()
      const file = await coming
      expect(file.suggestedFilename()).toBe(`spring-survey-1.${ending}`)
      expect(readFileSync(await file.path(), 'latin1').slice(0, first.length)).toBe(first)
    }
    await page.getByRole('button', { name: 'Accept all without doubts' }).click()
    await page.getByText(/^\d+ accepted$/).waitFor()
    const cases = readFileSync(join(house, 'examples/condition-notes.yaml'), 'utf8')
    await page.getByRole('button', { name: 'Export …' }).click()
    await page.getByRole('menuitem', { name: /condition-notes/ }).click()
    await page.getByText(/0 cases added/).waitFor()
    expect(readFileSync(join(house, 'examples/condition-notes.yaml'), 'utf8')).toBe(cases)
  }, 240_000)
})
