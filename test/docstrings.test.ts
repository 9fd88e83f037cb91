import { createWriteStream, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import * as node from '@dunelight/node'
import * as client from '@dunelight/client'
import * as serve from '@dunelight/serve'
import * as nodeHost from '@dunelight/node/host'
import * as dunelight from 'dunelight'
import * as host from 'dunelight/host'
import * as parts from 'dunelight/parts'

const { constructor: AsyncFunction } = Object.getPrototypeOf(async () => {}) as {
  constructor: new (...args: string[]) => (...args: unknown[]) => Promise<void>
}

interface Example {
  readonly file: string
  /** The name of what it documents. */
  readonly of: string
  readonly code: string
}

/** The `@example` blocks in a folder's sources. A line `expression // => value` is an assertion. */
function examplesIn(folder: string): Example[] {
  return readdirSync(folder, { withFileTypes: true, recursive: true }).flatMap((entry) => {
    if (!entry.isFile() || !entry.name.endsWith('.ts') || entry.name.endsWith('.test.ts')) return []
    const file = join(entry.parentPath, entry.name)
    const docs = readFileSync(file, 'utf8').matchAll(
      /^( *)\/\*\*\n(?:\1 \*.*\n)+?\1 \*\/\n(?:.*?\b(?:function\*?|class|const|get|async) )?(?!function)(\w+)/gm,
    )
    return [...docs].flatMap(([doc, , name]) =>
      [...doc.matchAll(/\* @example ?([^]*?)(?=\n *\* ?@|\n *\*\/)/g)].map((m) => ({
        file,
        of: name ?? '',
        code: (m[1] ?? '').replaceAll(/^ *\* ?/gm, '').trim(),
      })),
    )
  })
}

const examples = [
  ...examplesIn('packages/core/src'),
  ...examplesIn('packages/node/src'),
  ...examplesIn('packages/tables/src'),
  ...examplesIn('packages/serve/src'),
  ...examplesIn('packages/client/src'),
]

describe('examples in docstrings', () => {
  test('exist', () => expect(examples.length).toBeGreaterThan(60))

  test.each(examples.map((example) => [`${example.of}: ${example.code.split('\n').at(-1) ?? ''}`, example] as const))(
    '%s',
    async (_, { file, code }) => {
      const own = (await import(join('..', file))) as Record<string, unknown>
      const scratch = mkdtempSync(join(tmpdir(), 'dunelight-example-'))
      const check = (actual: unknown, expected: unknown) => expect(actual).toEqual(expected)
      const names: Record<string, unknown> = {
        ...dunelight,
        ...parts,
        ...host,
        ...node,
        ...nodeHost,
        ...serve,
        ...client,
        ...own,
        createWriteStream,
        join,
        scratch,
        check,
      }
      const body = code.replaceAll(/^(.*?);? \/\/ => (.*)$/gm, 'check($1, $2)')
      expect(body).not.toBe(code)
      try {
        await new AsyncFunction(...Object.keys(names), body)(...Object.values(names))
      } finally {
        rmSync(scratch, { recursive: true, force: true })
      }
    },
  )
})
