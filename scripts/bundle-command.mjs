// Joins the command and all that it imports into one file: opening a hundred small modules took longer than rendering a label.
import { build } from 'esbuild'

await build({
  entryPoints: ['packages/cli/dist/index.js'],
  outfile: 'packages/cli/dist/command.js',
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  minifySyntax: true,
  minifyWhitespace: true,
  legalComments: 'none',
  // CommonJS packages ask for Node's modules by `require`, which an ES module has to be given.
  banner: { js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);" },
  logLevel: 'warning',
})
