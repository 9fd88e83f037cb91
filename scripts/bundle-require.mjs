// Next to each library package's modules, one file for programs that still `require`, with its types: the compiler does not let such a program
// take the types of a module.
import { copyFileSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { build } from 'esbuild'

/** The entries of a package besides its first. */
const DEPTHS = { core: ['parts', 'host', 'bytes/index', 'editions/index'], node: ['host'] }

/** Packages that cannot be required: they become a part of the file. */
const MODULES_ONLY = ['canonicalize']

/** The packages that a program installs beside ours. */
function external(name) {
  const { dependencies = {}, peerDependencies = {} } = JSON.parse(readFileSync(`packages/${name}/package.json`, 'utf8'))
  const names = Object.keys({ ...dependencies, ...peerDependencies }).filter((dependency) => !MODULES_ONLY.includes(dependency))
  return names.flatMap((dependency) => [dependency, `${dependency}/*`])
}

for (const name of ['core', 'tables', 'node', 'editor']) {
  const dist = `packages/${name}/dist`
  const out = `${dist}/cjs`
  rmSync(out, { recursive: true, force: true })
  mkdirSync(out)
  // All depths of a package are one file, so that a class is the same from each of them.
  const depths = ['index', ...(DEPTHS[name] ?? [])]
  writeFileSync(`${dist}/all.js`, depths.map((depth) => `export * from './${depth}.js'\n`).join(''))
  await build({
    entryPoints: [`${dist}/all.js`, ...(name === 'core' ? [`${dist}/json-schema.js`, `${dist}/file-schemas/index.js`] : [])],
    outdir: out,
    bundle: true,
    external: [...external(name), 'node:*'],
    platform: name === 'node' ? 'node' : 'neutral',
    format: 'cjs',
    target: 'node20',
    logLevel: 'warning',
    // Such programs find a module's place in another way.
    ...(name === 'node' && {
      define: { 'import.meta.url': 'fileUrl' },
      banner: { js: "const fileUrl = require('node:url').pathToFileURL(__filename).href" },
    }),
  })
  rmSync(`${dist}/all.js`)
  for (const depth of depths) {
    mkdirSync(dirname(`${out}/${depth}.js`), { recursive: true })
    writeFileSync(`${out}/${depth}.js`, `module.exports = require('./${depth.includes('/') ? '../' : ''}all.js')\n`)
  }
  writeFileSync(`${out}/package.json`, '{ "type": "commonjs" }\n')
  for (const file of readdirSync(dist, { recursive: true }).filter((path) => path.endsWith('.d.ts') && !path.startsWith('cjs'))) {
    mkdirSync(dirname(join(out, file)), { recursive: true })
    copyFileSync(join(dist, file), join(out, file))
  }
}
