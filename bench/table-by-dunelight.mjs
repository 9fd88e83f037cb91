// The same table through the library: one thread by renderTable, several by a run.
//   node bench/table-by-dunelight.mjs FROM TO [THREADS | values]
import { createWriteStream, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { finished } from 'node:stream/promises'
import { batchModel, libraryFrom } from 'dunelight'
import { openLibraryFor, renderTable, runBatch } from '@dunelight/node'
import { report } from './report.mjs'

const [, , from, to, variant = '1'] = process.argv
const folder = 'demo/marram-house'
const started = performance.now()
const [library, name, threads] =
  variant === 'values' ? [noteLibrary(), 'note', 1] : [await openLibraryFor(folder, 'label/write'), 'label/write', Number(variant)]
if (threads === 1) {
  const out = createWriteStream(to)
  const done = await renderTable({ prompt: library.prompt(name), records: from, to: out })
  out.end()
  await finished(out)
  fail(done.rejected)
} else {
  const runs = mkdtempSync(join(tmpdir(), 'bench-'))
  const batch = batchModel({ prompt: name, records: { from: 'records' } })
  const setting = { library, folder, name: 'bench', batch, records: { from }, runs, to, overwrite: true, bare: true }
  const { counts } = await runBatch({ ...setting, workers: threads })
  rmSync(runs, { recursive: true })
  fail(counts.rejected)
}
report(started)

function fail(rejected) {
  if (rejected > 0) throw new Error(`${rejected} records were rejected`)
}

/** A prompt of little fixed text: four fifths of it are values. */
function noteLibrary() {
  const variables = 'object-no: text, title: text, kind: text, status: text, survey-note: text'
  const turn = '"{object-no}: {title}, {kind} ({status})\\nNote: {survey-note}"'
  return libraryFrom({ 'prompts/note.yaml': `title: N\nvariables: { ${variables} }\nturns: [{ user: ${turn} }]\n` })
}
