import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { ProblemError } from 'dunelight'
import { addCaller, createService } from '@dunelight/serve'
import { readCallersFile } from '@dunelight/serve/host'
import { Callers } from './callers.js'
import { newToken } from './token.js'

let folder: string
const file = () => join(folder, 'callers.yaml')
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'dunelight-callers-'))
})
afterEach(() => rmSync(folder, { recursive: true, force: true }))

const problemsOf = async (text: string): Promise<string[]> => {
  writeFileSync(file(), text)
  try {
    await readCallersFile(file())
    return []
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    expect(new Set(fault.problems.map(({ code }) => code))).toEqual(new Set(['callers-invalid']))
    return fault.problems.map(({ message }) => message.replace(`${file()} is invalid: `, ''))
  }
}

describe('the file of the callers', () => {
  test.each<[string, string]>([
    ['callers: { a: { id: abcdefgh, tokns: [] } }', 'a: unknown key "tokns"; did you mean "tokens"?'],
    ['callers: { a: { id: short } }', 'a: "id" must be eight small letters and digits, not "short"'],
    [
      'callers: { a: { id: abcdefgh, tokens: [plain] } }',
      'a: "tokens" must be a list of at most 2 digests of tokens, which dunelight caller add makes, not ["plain"]',
    ],
    [
      'callers: { a: { id: abcdefgh, operations: [write] } }',
      'a: "operations" must be a list of render, ask, read, metrics, not ["write"]',
    ],
    ['callers: { a: { id: abcdefgh, expires: soon } }', 'a: "expires" must be a day such as 2027-01-31, not "soon"'],
    ['callers: { a: { id: abcdefgh, per-minute: 0 } }', 'a: "per-minute" must be a number such as 60 or 200k, not 0'],
    ['callers: { a: { id: abcdefgh }, b: { id: abcdefgh } }', 'b has the id of a'],
    ['caller: {}', 'unknown key "caller"'],
    ['- 1', 'it must be a map with "callers"'],
  ])('%s is told', async (text, message) => {
    expect(await problemsOf(text)).toContain(message)
  })

  test('is read whatever it says, or refused with a sentence', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(
          fc.string(),
          fc.json(),
          fc
            .dictionary(
              fc.constantFrom('callers', 'x'),
              fc.dictionary(fc.string(), fc.dictionary(fc.constantFrom('id', 'tokens', 'prompts', 'expires'), fc.anything())),
            )
            .map((data) => JSON.stringify(data)),
        ),
        async (text) => {
          await problemsOf(text)
        },
      ),
      { numRuns: 300 },
    )
  })
})

describe('a caller is added', () => {
  test('with a token that is stored nowhere, and a second one while the first is replaced', async () => {
    const first = await addCaller(file(), 'front-desk', { tags: ['visitor'], operations: ['render', 'ask'], 'tokens-a-day': 200_000 })
    writeFileSync(file(), readFileSync(file(), 'utf8').replace('tags:', '# theirs\n    tags:'))
    const second = await addCaller(file(), 'front-desk')
    const text = readFileSync(file(), 'utf8')
    expect(text).toContain('# theirs')
    expect(text).not.toContain(first.token.slice(12))
    expect(statSync(file()).mode & 0o777).toBe(0o600)
    const callers = new Callers(await readCallersFile(file()))
    expect([callers.of(first.token).name, callers.of(second.token).name]).toEqual(['front-desk', 'front-desk'])
    expect(() => callers.of(newToken(first.caller.id).token)).toThrow('not valid')
    await expect(addCaller(file(), 'front-desk')).rejects.toThrow(/has two tokens/)
    await expect(addCaller(file(), 'front-desk', { tags: ['all'] })).rejects.toThrow(/is there already/)
  })

  test('with rights that are valid, and outside the library', async () => {
    await expect(addCaller(file(), 'a', { operations: ['write'] })).rejects.toThrow(/operations/)
    await expect(addCaller(file(), 'a', {}, folder)).rejects.toThrow(/outside the library/)
    await addCaller(file(), 'a')
    writeFileSync(join(folder, 'dunelight.yaml'), 'title: A library\n')
    await expect(createService({ library: folder, callers: file() })).rejects.toThrow(/outside the library/)
  })
})
