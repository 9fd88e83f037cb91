// The modules of each library package as a few files, since opening hundreds of small ones takes half a second: as ES modules, and as one file for
// programs that still `require`, with its own types: the compiler does not let such a program take the types of a module.
import { copyFileSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { build } from 'esbuild'

/** The entries of a package besides its first. */
const DEPTHS = { core: ['parts', 'host', 'bytes/index', 'editions/index'], node: ['host'] }

/** Entries that need packages which not every program has. */
const APART = { core: ['json-schema', 'file-schemas/index'] }

/** What is started and not imported. */
const STARTED = { node: { worker: 'render/worker' } }

/** Packages that cannot be required: they become a part of the file. */
const MODULES_ONLY = ['canonicalize']

/** The packages that a program installs beside ours. */
function external(name) {
  const { dependencies = {}, peerDependencies = {} } = JSON.parse(readFileSync(`packages/${name}/package.json`, 'utf8'))
  return Object.keys({ ...dependencies, ...peerDependencies })
}

function bundle(name, outdir, names, options) {
  rmSync(outdir, { recursive: true, force: true })
  mkdirSync(outdir)
  return build({
    outdir,
    bundle: true,
    external: ['node:*', ...names.flatMap((dependency) => [dependency, `${dependency}/*`])],
    platform: name === 'node' ? 'node' : 'neutral',
    target: 'node20',
    logLevel: 'warning',
    ...options,
  })
}

async function modules(name, depths) {
  const dist = `packages/${name}/dist`
  const entries = [...depths, ...(APART[name] ?? [])].map((depth) => [depth, `${dist}/${depth}.js`])
  const started = Object.entries(STARTED[name] ?? {}).map(([as, path]) => [as, `${dist}/${path}.js`])
  await bundle(name, `${dist}/esm`, external(name), {
    entryPoints: Object.fromEntries([...entries, ...started]),
    // All entries of a package share their code, so that a class is the same from each of them.
    splitting: true,
    chunkNames: 'shared/[hash]',
    format: 'esm',
  })
  // Bundlers warn of imports without names from modules that have no side effects.
  for (const file of readdirSync(`${dist}/esm`, { recursive: true }).filter((path) => path.endsWith('.js'))) {
    const path = join(`${dist}/esm`, file)
    writeFileSync(path, readFileSync(path, 'utf8').replaceAll(/^import "\.[^"]*";\n/gm, ''))
  }
}

async function required(name, depths) {
  const dist = `packages/${name}/dist`
  const out = `${dist}/cjs`
  writeFileSync(`${dist}/all.js`, depths.map((depth) => `export * from './${depth}.js'\n`).join(''))
  await bundle(
    name,
    out,
    external(name).filter((dependency) => !MODULES_ONLY.includes(dependency)),
    {
      entryPoints: [`${dist}/all.js`, ...(APART[name] ?? []).map((path) => `${dist}/${path}.js`)],
      format: 'cjs',
      // Such programs find a module's place in another way.
      ...(name === 'node' && {
        define: { 'import.meta.url': 'fileUrl' },
        banner: { js: "const fileUrl = require('node:url').pathToFileURL(__filename).href" },
      }),
    },
  )
  rmSync(`${dist}/all.js`)
  for (const depth of depths) {
    mkdirSync(dirname(`${out}/${depth}.js`), { recursive: true })
    writeFileSync(`${out}/${depth}.js`, `module.exports = require('./${depth.includes('/') ? '../' : ''}all.js')\n`)
  }
  writeFileSync(`${out}/package.json`, '{ "type": "commonjs" }\n')
  for (const file of readdirSync(dist, { recursive: true }).filter((path) => path.endsWith('.d.ts') && !/^(cjs|esm)/.test(path))) {
    mkdirSync(dirname(join(out, file)), { recursive: true })
    copyFileSync(join(dist, file), join(out, file))
  }
}

for (const name of ['core', 'tables', 'node', 'editor']) {
  const depths = ['index', ...(DEPTHS[name] ?? [])]
  await modules(name, depths)
  await required(name, depths)
}
