import { mkdtempSync, rmSync, symlinkSync, writeFileSync, mkdirSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from '@jest/globals'
import { openLibrary, readFileValue } from '@dunelight/node'
import { ProblemError } from 'dunelight'

const DATA = 'demo/marram-house/data'
const folder = mkdtempSync(join(tmpdir(), 'dunelight-files-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const codes = (fault: unknown) => (fault instanceof ProblemError ? fault.problems.map((p) => p.code) : fault)

describe('a file as a value', () => {
  test('has its media type by its ending, and its text where it is text', async () => {
    const guide = await readFileValue(`${DATA}/handling-guide.md`)
    expect([guide.name, guide.mediaType, guide.text?.split('\n')[0]]).toEqual([
      'handling-guide.md',
      'text/markdown',
      '# Handling things at Marram House',
    ])
    writeFileSync(join(folder, 'bell.png'), Uint8Array.of(137, 80, 78, 71))
    expect(await readFileValue(join(folder, 'bell.png'))).toMatchObject({ mediaType: 'image/png', bytes: Uint8Array.of(137, 80, 78, 71) })
    expect((await readFileValue(join(folder, 'bell.png'))).text).toBeUndefined()
  })

  test('of a PDF both the bytes and the text of its pages', async () => {
    const { mediaType, bytes, text } = await readFileValue(`${DATA}/handling-guide.pdf`)
    expect([mediaType, String.fromCharCode(...bytes!.subarray(0, 5))]).toEqual(['application/pdf', '%PDF-'])
    for (const words of ['Brass is not meant to shine', 'Several have been for glue']) expect(text?.replace(/\s+/g, ' ')).toContain(words)
  })

  test('that is broken, missing, a folder or too large is reported', async () => {
    writeFileSync(join(folder, 'torn.pdf'), '%PDF-1.7 torn')
    expect((await readFileValue(join(folder, 'torn.pdf'))).text).toBeUndefined()
    await expect(readFileValue(join(folder, 'nothing.md')).catch(codes)).resolves.toEqual(['file-unreadable'])
    await expect(readFileValue(folder).catch(codes)).resolves.toEqual(['file-unreadable'])
    await expect(readFileValue(`${DATA}/handling-guide.md`, { limit: 100 }).catch(codes)).resolves.toEqual(['attachment-over-limit'])
  })
})

describe('files that a library’s own turns attach', () => {
  test('are read when it opens; what cannot be had is a problem with its place', async () => {
    const library = join(folder, 'library')
    mkdirSync(join(library, 'prompts'), { recursive: true })
    mkdirSync(join(library, 'data'))
    writeFileSync(join(library, 'data/guide.md'), 'Two hands.')
    symlinkSync(join(process.cwd(), 'README.md'), join(library, 'data/away.md'))
    const attach = (path: string) =>
      writeFileSync(join(library, 'prompts/p.yaml'), `title: P\nturns:\n  - user: Read.\n    attach: [${path}]\n`)
    attach('../data/guide.md')
    const opened = await openLibrary(library)
    expect(opened.problems).toEqual([])
    expect(opened.prompt('p').render({}).turns[0]?.parts).toMatchObject([{ kind: 'text', text: 'Two hands.', from: 'data/guide.md' }])
    for (const [path, why] of [
      ['../data/gone.md', 'no such file or folder'],
      ['../data/away.md', 'it leads out of the library’s folder'],
    ] as const) {
      attach(path)
      expect((await openLibrary(library)).problems.map((p) => [p.code, p.message.endsWith(why), p.place?.line])).toEqual([
        ['attach-missing', true, 4],
      ])
    }
  })

  test('a changed file moves the prompt’s fingerprint', async () => {
    const library = join(folder, 'library')
    writeFileSync(join(library, 'prompts/p.yaml'), 'title: P\nturns: [{ user: Read., attach: [../data/guide.md] }]\n')
    const before = (await openLibrary(library)).prompt('p').fingerprint
    writeFileSync(join(library, 'data/guide.md'), 'One hand.')
    expect((await openLibrary(library)).prompt('p').fingerprint).not.toBe(before)
  })
})
