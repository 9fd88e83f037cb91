import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { extname, join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { chromium } from 'playwright-core'
import { CHROMIUM_FLAGS, findChromium } from '../scripts/chromium.mjs'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-packed-'))
const pathOf = (name: string) => join(folder, name)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const ROOT = process.cwd()
function run(command: string, ...args: string[]): string {
  const { status, stdout, stderr } = spawnSync(command, args, { cwd: folder, encoding: 'utf8' })
  if (status !== 0) throw new Error(`${command} ${args.join(' ')}\n${stdout}${stderr}`)
  return stdout
}

const LIBRARY = "{ 'prompts/hello.yaml': 'title: H\\nvariables: { who: text }\\nturns: [{ user: \"Good day, {who}.\" }]' }"
const USE = `libraryFrom(${LIBRARY}).prompt('hello').render({ who: 'Ines' }).turns[0]`

beforeAll(() => {
  writeFileSync(pathOf('package.json'), '{ "name": "program", "private": true, "version": "1.0.0" }')
  const workspaces = ['core', 'tables', 'node', 'serve', 'client', 'cli', 'editor'].flatMap((name) => ['-w', `packages/${name}`])
  const { stdout } = spawnSync('npm', ['pack', '--json', '--pack-destination', folder, ...workspaces], { cwd: ROOT, encoding: 'utf8' })
  const packed = (JSON.parse(stdout) as { filename: string }[]).map(({ filename }) => `./${filename}`)
  run('npm', 'install', '--no-audit', '--no-fund', '--omit=dev', '--prefer-offline', ...packed)
}, 180_000)

describe('the packages, installed into an empty project', () => {
  test('have what is needed to run, and no sources or tests', () => {
    const listed = run('find', 'node_modules/dunelight', 'node_modules/@dunelight', '-type', 'f')
    expect(listed).toContain('node_modules/@dunelight/cli/bin/dunelight.js')
    expect(listed).not.toMatch(/\.test\.|\/src\//)
  })

  test('are imported by modules', () => {
    writeFileSync(
      pathOf('module.mjs'),
      `import { libraryFrom } from 'dunelight'\nimport { openLibrary, readFileValue } from '@dunelight/node'\nimport * as editor from '@dunelight/editor'\nconsole.log(${USE}.text, typeof openLibrary, (await readFileValue('package.json')).mediaType, Object.keys(editor).length > 2)\n`,
    )
    expect(run(process.execPath, 'module.mjs')).toBe('Good day, Ines. function application/json true\n')
  })

  test('are required by programs of the older kind', () => {
    writeFileSync(
      pathOf('program.cjs'),
      `const { libraryFrom } = require('dunelight')\nconst { openLibrary } = require('@dunelight/node')\nconst { libraryFile } = require('@dunelight/editor')\nconst { FILE_KINDS } = require('dunelight/file-schemas')\nopenLibrary('house').then((library) => console.log(${USE}.text, library.promptNames().length, typeof libraryFile, FILE_KINDS[0].name))\n`,
    )
    mkdirSync(pathOf('house/prompts'), { recursive: true })
    writeFileSync(pathOf('house/prompts/p.yaml'), 'title: P\nturns: [{ user: Go. }]\n')
    expect(run(process.execPath, 'program.cjs')).toBe('Good day, Ines. 1 function prompt\n')
  })

  test('bring the command', () => {
    expect(run(join(folder, 'node_modules/.bin/dunelight'), 'render', 'house', 'p')).toContain('Go.')
  })

  // A program may export what it makes: its declarations have to name the types.
  test.each([
    ['node16', ['module.mts', 'program.cts']],
    ['bundler', ['module.ts']],
  ] as const)('have types under moduleResolution %s', (moduleResolution, files) => {
    const typed = `import { libraryFrom, makePrompt, makeLibrary } from 'dunelight'\nimport { openLibrary } from '@dunelight/node'\nconst text: string | undefined = ${USE}?.text\nexport const p = makePrompt({ title: 'P', variables: { n: 'integer' }, turns: [{ user: '{n}' }] })\nexport const house = makeLibrary({ prompts: { p } })\nhouse.prompt('p').render({ n: 3 })\n// @ts-expect-error n is no text\nhouse.prompt('p').render({ n: '3' })\n`
    for (const file of files) writeFileSync(pathOf(file), `${typed}export { text, openLibrary }\n`)
    const module = moduleResolution === 'bundler' ? 'preserve' : 'node16'
    run(
      process.execPath,
      join(ROOT, 'node_modules/typescript/bin/tsc'),
      '--declaration',
      '--emitDeclarationOnly',
      '--outDir',
      `types-${moduleResolution}`,
      '--strict',
      '--target',
      'es2022',
      '--module',
      module,
      '--moduleResolution',
      moduleResolution,
      ...files,
    )
  })

  test('run in the browser through Vite', async () => {
    mkdirSync(pathOf('page'))
    writeFileSync(
      pathOf('page/index.html'),
      '<!doctype html><link rel="icon" href="data:,"><p id="out"></p><script type="module" src="./main.js"></script>',
    )
    writeFileSync(
      pathOf('page/main.js'),
      `import { libraryFrom } from 'dunelight'\nconst library = libraryFrom(${LIBRARY})\ndocument.querySelector('#out').textContent = ${USE}.text + ' ' + library.prompt('hello').fingerprint\n`,
    )
    run(process.execPath, join(ROOT, 'node_modules/vite/bin/vite.js'), 'build', 'page', '--logLevel', 'error', '--base', './')
    const fingerprint = run(
      process.execPath,
      '--input-type=module',
      '-e',
      `import { libraryFrom } from 'dunelight'\nconsole.log(libraryFrom(${LIBRARY}).prompt('hello').fingerprint)`,
    ).trim()
    const types: Record<string, string> = { '.html': 'text/html', '.js': 'text/javascript' }
    const server = createServer((request, response) => {
      const path = request.url === '/' ? '/index.html' : (request.url ?? '')
      response.setHeader('content-type', types[extname(path)] ?? 'text/plain')
      response.end(readFileSync(pathOf(`page/dist${path}`)))
    })
    await new Promise<void>((listening) => server.listen(0, '127.0.0.1', listening))
    const { port } = server.address() as { port: number }
    const browser = await chromium.launchPersistentContext(mkdtempSync(join(folder, 'profile-')), {
      executablePath: findChromium(),
      args: CHROMIUM_FLAGS,
    })
    try {
      const page = await browser.newPage()
      await page.goto(`http://127.0.0.1:${port}/`)
      await page.locator('#out:not(:empty)').waitFor()
      expect(await page.locator('#out').textContent()).toBe(`Good day, Ines. ${fingerprint}`)
    } finally {
      await browser.close()
      server.close()
    }
  })
})
