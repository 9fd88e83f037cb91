// The same table through the library.
import { createWriteStream } from 'node:fs'
import { finished } from 'node:stream/promises'
import { openLibrary, renderTable } from '@dunelight/node'

const [, , from, to] = process.argv
const out = createWriteStream(to)
const started = performance.now()
const library = await openLibrary('demo/marram-house')
const report = await renderTable({ prompt: library.prompt('label/write'), records: from, to: out })
out.end()
await finished(out)
if (report.aside > 0) throw new Error(`${report.aside} records were set aside`)
process.stderr.write(
  `${JSON.stringify({ ms: performance.now() - started, peak: process.resourceUsage().maxRSS, cpu: Math.round(process.cpuUsage().user / 1000), sys: Math.round(process.cpuUsage().system / 1000) })}\n`,
)
