// Prints how much of the core a page carries, and refuses a leap: minified, gzip, without the YAML parser, which pages often have already.
import { gzipSync } from 'node:zlib'
import { build } from 'esbuild'

/** In kilobytes; raised on purpose only: 20 of them are the named references of HTML and Unicode's look-alikes, which fences need,
 * 3 read JSON without changing the digits of its numbers, 36 are the telephone numbering plans of all countries, 6 name the words and
 * marks of other languages and the faults of YAML, 1 describes the steps of a plan, for rendering as bytes, and 1 keeps many cases in few lists. */
const MOST = 222

const parts = {
  'the core, all of it': "export * from 'dunelight'; export * from 'dunelight/parts'; export * from 'dunelight/host'",
  'opening and rendering alone': "export { libraryFrom } from 'dunelight'",
}
for (const [what, contents] of Object.entries(parts)) {
  const { outputFiles } = await build({
    stdin: { contents, resolveDir: process.cwd() },
    bundle: true,
    minify: true,
    platform: 'browser',
    format: 'esm',
    external: ['yaml'],
    write: false,
    logLevel: 'error',
  })
  const size = gzipSync(outputFiles[0].contents).length / 1000
  process.stdout.write(`${what}: ${size.toFixed(1)} kB gzip\n`)
  if (size > MOST) {
    process.stderr.write(`more than ${MOST} kB\n`)
    process.exitCode = 1
  }
}
