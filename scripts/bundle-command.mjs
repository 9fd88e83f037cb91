// Joins the command and all that it always imports into one file: opening a hundred small modules took longer than rendering a label.
import { rmSync } from 'node:fs'
import { build } from 'esbuild'

const OUT = 'packages/cli/dist'
rmSync(`${OUT}/command`, { recursive: true, force: true })

await build({
  // Next to the command, the code of its threads.
  entryPoints: { command: 'packages/cli/dist/index.js', worker: 'packages/node/dist/esm/worker.js' },
  outdir: OUT,
  entryNames: '[name]',
  // What only some commands need, a PDF reader or a layout, is read from the disk when it is.
  splitting: true,
  chunkNames: 'command/[name]-[hash]',
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  minifySyntax: true,
  minifyWhitespace: true,
  legalComments: 'none',
  // It opens a file that is next to it.
  external: ['sql.js'],
  // Only where a module has none of its own.
  define: { __filename: '$filename', __dirname: '$dirname' },
  // What CommonJS packages find around them, an ES module has to be given.
  banner: {
    js: [
      "import { createRequire as $require } from 'node:module'",
      "import { fileURLToPath as $path } from 'node:url'",
      "import { dirname as $folder } from 'node:path'",
      'const require = $require(import.meta.url)',
      'const $filename = $path(import.meta.url)',
      'const $dirname = $folder($filename);',
    ].join(';'),
  },
  logLevel: 'warning',
})
