import { execFileSync } from 'node:child_process'
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { house, openHouse, opened, page, violations, turn } from './desk-page.js'

/** A picture of one pixel. */
const PIXEL = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=='

describe('files of the desk', () => {
  test('a picture that is dropped on a variable is shown as it is handed over', async () => {
    const other = await opened({
      'prompts/scan.yaml':
        'title: Scan\nvariables: { scan: file }\nturns:\n  - user: Describe the picture.\n    attach: [{ from: scan }]\n',
    })
    await other.getByText('Form', { exact: true }).click()
    const transfer = await other.evaluateHandle((data) => {
      const bytes = Uint8Array.from(atob(data), (character) => character.charCodeAt(0))
      const transfer = new DataTransfer()
      transfer.items.add(new File([bytes], 'scan.png', { type: 'image/png' }))
      return transfer
    }, PIXEL)
    await other.locator('.hand-fields').getByRole('button', { name: 'scan' }).dispatchEvent('drop', { dataTransfer: transfer })
    const picture = other.getByRole('img', { name: 'the attached scan.png' })
    await picture.waitFor()
    expect(await picture.evaluate((img: HTMLImageElement) => img.decode().then(() => img.naturalWidth))).toBe(1)
    await other.getByText('scan.png, image/png, 1 kB').waitFor()
    expect(await violations(other)).toEqual([])
  }, 240_000)

  test('the wording of the last commit is another to compare with, and its repository runs nothing', async () => {
    await openHouse()
    const git = (...words: string[]) =>
      execFileSync('git', ['-c', 'user.name=m', '-c', 'user.email=m@marram.example', ...words], { cwd: house })
    git('init', '-q')
    git('add', '.')
    git('commit', '-q', '-m', 'As it was')
    // Programs that a repository names: none of them is to be started.
    writeFileSync(join(house, '.gitattributes'), '*.yaml diff=evil filter=evil\n')
    for (const key of ['core.fsmonitor', 'diff.evil.textconv', 'filter.evil.smudge', 'core.pager', 'pager.show'])
      git('config', key, `touch ${join(house, 'started')}; cat`)
    const path = join(house, 'prompts/label/write.yaml')
    writeFileSync(path, readFileSync(path, 'utf8').replace('Write the label for', 'Kindly write the label for'))
    await page.reload()
    await turn('user').getByText('Kindly').waitFor()
    await page.getByText('Compare', { exact: true }).click()
    await page.getByText('No differences for this record.').waitFor()
    await page.getByRole('combobox', { name: 'compared with' }).click()
    await page.getByRole('option', { name: 'as committed' }).click()
    await page.locator('ins', { hasText: 'Kindly' }).waitFor()
    expect(() => readFileSync(join(house, 'started'))).toThrow('ENOENT')
  }, 240_000)
})
