import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { dirname, join, relative } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { build } from 'esbuild'

/** Imports of files go downward only, those of types too: each folder imports those before it. A file at the top imports all. */
const ORDER: Readonly<Record<string, readonly string[]>> = {
  core: [
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
    'asking',
    'library',
    'batches',
    'bytes',
    'editions',
    'code',
    'file-schemas',
  ],
  tables: [],
  node: [
    'output',
    'sources',
    'snapshots',
    'library',
    'runs',
    'audit',
    'render',
    'models',
    'replies',
    'ask',
    'review',
    'compare',
    'editions',
  ],
  serve: ['faults', 'callers', 'wordings', 'operations', 'observe', 'service', 'http', 'mcp'],
  client: ['remote', 'local'],
  cli: ['ui', 'flags', 'graph', 'cases', 'desk', 'service', 'commands'],
  editor: [],
}
/** Files at the top of a package that all of its folders may import. */
const KNOWN_TO_ALL = ['packages/cli/src/define-command.ts', 'packages/core/src/invariant.ts']

function sourceFiles(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    return entry.isDirectory() ? sourceFiles(path) : /\.tsx?$/.test(path) && !/\.test\.tsx?$/.test(path) ? [path] : []
  })
}

const importsOf = (file: string) =>
  [
    ...readFileSync(file, 'utf8').matchAll(/^(?:import|export) (type )?[^'"]*?from '(\.[^']+)'/gm),
    ...readFileSync(file, 'utf8').matchAll(/()import\('(\.[^']+)'\)/g),
  ].map((match) => ({
    type: match[1] === 'type ',
    to:
      [match[2] ?? '']
        .map((path) => join(dirname(file), path.replace(/\.js$/, '.ts')))
        .map((path) => (existsSync(path) ? path : `${path.replace(/\.tsx?$/, '')}.tsx`))[0] ?? '',
  }))

describe.each(Object.entries(ORDER))('the package %s', (name, order) => {
  const src = `packages/${name}/src`
  const files = sourceFiles(src)

  test('imports downward only', () => {
    const upward = files.flatMap((file) => {
      const from = relative(src, file).split('/')[0] ?? ''
      return importsOf(file).flatMap(({ to }) => {
        const target = relative(src, to).split('/')[0] ?? ''
        const rank = (folder: string) => (/\.tsx?$/.test(folder) ? order.length : order.indexOf(folder))
        if (KNOWN_TO_ALL.includes(to)) return []
        return rank(target) > rank(from) ? [`${from} → ${target} in ${relative(src, file)}`] : []
      })
    })
    expect([...new Set(upward)]).toEqual([])
    const folders = [...new Set(files.map((file) => relative(src, file)).filter((path) => path.includes('/')))].map(
      (path) => path.split('/')[0],
    )
    expect(folders.filter((folder) => !order.includes(folder ?? ''))).toEqual([])
  })

  test('has no circle of files that import each other at run time', () => {
    const graph = new Map(files.map((file) => [file, importsOf(file).flatMap((item) => (item.type ? [] : [item.to]))]))
    const done = new Set<string>()
    const circles: string[] = []
    const visit = (file: string, path: readonly string[]) => {
      if (path.includes(file)) circles.push([...path.slice(path.indexOf(file)), file].map((text) => relative(src, text)).join(' → '))
      if (done.has(file) || path.includes(file)) return
      for (const next of graph.get(file) ?? []) visit(next, [...path, file])
      done.add(file)
    }
    for (const file of files) visit(file, [])
    expect(circles).toEqual([])
  })
})

const SRC = 'packages/core/src'

describe('the core', () => {
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
    // A copy of what came by standard input or from a commit, and what is made of lines that were redacted when they were written.
    const allowed = [
      'packages/node/src/runs/stdin.ts',
      'packages/node/src/sources/case-tables.ts',
      'packages/node/src/render/convert.ts',
      'packages/cli/src/ui/result-file.ts',
    ]
    const writing = /import \{[^}]*\b(?:writeFile|appendFile|createWriteStream|writeFileSync|appendFileSync)\b[^}]*\} from 'node:fs/
    const elsewhere = ['packages/node/src', 'packages/serve/src', 'packages/cli/src']
      .flatMap(sourceFiles)
      .filter((path) => !path.includes('/output/') && !allowed.includes(path) && writing.test(readFileSync(path, 'utf8')))
    expect(elsewhere).toEqual([])
  })

  test('write to the terminal through the guarded streams alone', () => {
    const direct = ['packages/node/src', 'packages/serve/src', 'packages/cli/src']
      .flatMap(sourceFiles)
      .filter((path) => /process\.(?:stdout|stderr)|console\./.test(readFileSync(path, 'utf8')))
    expect(direct).toEqual([])
  })
})
