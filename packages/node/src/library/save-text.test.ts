import {
  chmodSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  realpathSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from '@jest/globals'
import { markOfText, saveText } from '@dunelight/node/host'

const folder = realpathSync(mkdtempSync(join(tmpdir(), 'save-')))
const root = join(folder, 'library')
mkdirSync(join(root, 'prompts'), { recursive: true })
const text = (path: string) => readFileSync(join(root, path), 'utf8')
afterAll(() => rmSync(folder, { recursive: true, force: true }))

describe('saving a text', () => {
  test('writes it where it is as it was edited from, and keeps who may read it', async () => {
    expect(await saveText(root, 'prompts/new/label.yaml', 'title: A\n', null)).toEqual({ state: 'saved', mark: markOfText('title: A\n') })
    chmodSync(join(root, 'prompts/new/label.yaml'), 0o640)
    expect(await saveText(root, 'prompts/new/label.yaml', 'title: B\n', markOfText('title: A\n'))).toMatchObject({ state: 'saved' })
    expect([text('prompts/new/label.yaml'), statSync(join(root, 'prompts/new/label.yaml')).mode & 0o777]).toEqual(['title: B\n', 0o640])
    expect(readdirSync(join(root, 'prompts/new'))).toEqual(['label.yaml'])
  })

  test('overwrites nothing that another program wrote, created or removed in the meantime', async () => {
    writeFileSync(join(root, 'prompts/theirs.yaml'), 'title: Theirs\n')
    const [other, made, gone] = [
      await saveText(root, 'prompts/theirs.yaml', 'title: Mine\n', markOfText('title: Before\n')),
      await saveText(root, 'prompts/theirs.yaml', 'title: Mine\n', null),
      await saveText(root, 'prompts/gone.yaml', 'title: Mine\n', markOfText('title: Before\n')),
    ]
    expect(other).toEqual({ state: 'changed', mark: markOfText('title: Theirs\n'), text: 'title: Theirs\n' })
    expect([made.state, gone]).toEqual(['changed', { state: 'changed', mark: null, text: null }])
    expect([text('prompts/theirs.yaml'), readdirSync(join(root, 'prompts')).includes('gone.yaml')]).toEqual(['title: Theirs\n', false])
  })

  test('leaves the folder by no path and no link', async () => {
    writeFileSync(join(folder, 'outside.yaml'), 'title: Outside\n')
    symlinkSync(folder, join(root, 'elsewhere'))
    symlinkSync(join(folder, 'outside.yaml'), join(root, 'prompts/link.yaml'))
    for (const path of ['../outside.yaml', 'elsewhere/outside.yaml', 'elsewhere/new.yaml', 'prompts/link.yaml'])
      await expect(
        saveText(root, path, 'title: Mine\n', path.endsWith('new.yaml') ? null : markOfText('title: Outside\n')),
      ).rejects.toMatchObject({
        problems: [{ code: 'path-leaves-library' }],
      })
    expect([readFileSync(join(folder, 'outside.yaml'), 'utf8'), readdirSync(folder).sort()]).toEqual([
      'title: Outside\n',
      ['library', 'outside.yaml'],
    ])
  })

  test('reports why it cannot', async () => {
    mkdirSync(join(root, 'prompts/folder.yaml'))
    await expect(saveText(root, 'prompts/folder.yaml', 'x', null)).rejects.toMatchObject({ problems: [{ code: 'file-unreadable' }] })
  })
})
