import { readdirSync, readFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import * as dunelight from 'dunelight'
import * as host from 'dunelight/host'
import * as parts from 'dunelight/parts'

/** `expression; // => value` in the docstrings of the core, with the file that it stands in. */
function examplesIn(folder: string): [says: string, file: string, expression: string, value: string][] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry): [string, string, string, string][] => {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) return examplesIn(path)
    if (!path.endsWith('.ts') || path.endsWith('.test.ts')) return []
    return [...readFileSync(path, 'utf8').matchAll(/^ *\* @example (.*); \/\/ => (.*)$/gm)].map((m): [string, string, string, string] => [
      m[1]!,
      path,
      m[1]!,
      m[2]!,
    ])
  })
}

const examples = examplesIn('packages/core/src')

describe('examples in docstrings', () => {
  test('are there', () => expect(examples.length).toBeGreaterThan(7))

  test.each(examples)('%s', async (_says, file, expression, value) => {
    const own = (await import(resolve(file))) as Record<string, unknown>
    const names = { ...dunelight, ...parts, ...host, ...own } as Record<string, unknown>
    const evaluate = (code: string): unknown => {
      // The examples are our own source, read from the repository.
      // eslint-disable-next-line @typescript-eslint/no-implied-eval, @typescript-eslint/no-unsafe-call
      return new Function(...Object.keys(names), `return (${code})`)(...Object.values(names)) as unknown
    }
    expect(evaluate(expression)).toEqual(evaluate(value))
  })
})
