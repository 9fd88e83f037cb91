import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join, relative } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { build } from 'esbuild'

const SRC = 'packages/core/src'
/** Imports go downward only: each folder knows those before it. */
const ORDER = [
  'source',
  'problems',
  'values',
  'interop',
  'text',
  'fences',
  'examples',
  'artefacts',
  'outputs',
  'render',
  'compile',
  'library',
  'batches',
  'asking',
  'code',
  'file-schemas',
]
function sourceFiles(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    return entry.isDirectory() ? sourceFiles(path) : path.endsWith('.ts') && !path.endsWith('.test.ts') ? [path] : []
  })
}

const files = sourceFiles(SRC)
const importsOf = (file: string) =>
  [...readFileSync(file, 'utf8').matchAll(/^(?:import|export) (type )?[^'"]*?from '(\.[^']+)'/gm)].map((match) => ({
    type: match[1] !== undefined,
    to: join(dirname(file), match[2]!.replace(/\.js$/, '.ts')),
  }))

describe('the core', () => {
  test('imports downward only', () => {
    const upward = files.flatMap((file) => {
      const from = relative(SRC, file).split('/')[0]!
      return importsOf(file).flatMap(({ to }) => {
        const target = relative(SRC, to).split('/')[0]!
        const rank = (folder: string) => (folder.endsWith('.ts') ? ORDER.length : ORDER.indexOf(folder))
        return rank(target) > rank(from) ? [`${from} → ${target} in ${relative(SRC, file)}`] : []
      })
    })
    expect([...new Set(upward)]).toEqual([])
  })

  test('has no circle of files that import each other at run time', () => {
    const graph = new Map(
      files.map((file) => [
        file,
        importsOf(file)
          .filter((i) => !i.type)
          .map((i) => i.to),
      ]),
    )
    const done = new Set<string>()
    const circles: string[] = []
    const visit = (file: string, path: readonly string[]) => {
      if (path.includes(file)) circles.push([...path.slice(path.indexOf(file)), file].map((f) => relative(SRC, f)).join(' → '))
      if (done.has(file) || path.includes(file)) return
      for (const next of graph.get(file) ?? []) visit(next, [...path, file])
      done.add(file)
    }
    for (const file of files) visit(file, [])
    expect(circles).toEqual([])
  })

  test('bundles for the browser without any of Node', async () => {
    const { errors, metafile, outputFiles } = await build({
      entryPoints: [`${SRC}/index.ts`],
      bundle: true,
      platform: 'browser',
      format: 'esm',
      write: false,
      metafile: true,
      minify: true,
      logLevel: 'silent',
    })
    expect(errors).toEqual([])
    expect(Object.keys(metafile.inputs).filter((path) => path.startsWith('node:'))).toEqual([])
    expect(outputFiles[0]!.text).not.toMatch(/\b(?:process\.|Buffer\.|require\()/)
  })
})

describe('the packages for Node', () => {
  test('write to files in one place, which redacts secrets', () => {
    // A copy of what came by standard input, and what is made of lines that were redacted when they were written.
    const allowed = ['packages/node/src/batches/stdin.ts', 'packages/node/src/batches/finish.ts', 'packages/cli/src/result-file.ts']
    const writing = /import \{[^}]*\b(?:writeFile|appendFile|createWriteStream|writeFileSync|appendFileSync)\b[^}]*\} from 'node:fs/
    const elsewhere = ['packages/node/src', 'packages/cli/src']
      .flatMap(sourceFiles)
      .filter((path) => !path.includes('/output/') && !allowed.includes(path) && writing.test(readFileSync(path, 'utf8')))
    expect(elsewhere).toEqual([])
  })

  test('write to the terminal through the guarded streams alone', () => {
    const direct = ['packages/node/src', 'packages/cli/src']
      .flatMap(sourceFiles)
      .filter((path) => /process\.(?:stdout|stderr)|console\./.test(readFileSync(path, 'utf8')))
    expect(direct).toEqual([])
  })
})
