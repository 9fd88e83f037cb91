import { createWriteStream } from 'node:fs'
import { finished } from 'node:stream/promises'
import { plainBatch } from 'dunelight/host'
import { openLibraryFor } from '@dunelight/node'
import { readRecords } from '@dunelight/node/host'

/** The objects of a CSV table as JSON Lines, typed as the label takes them. */
export async function linesOfObjects(from, to) {
  const library = await openLibraryFor('demo/marram-house', 'label/write')
  const out = createWriteStream(to)
  for await (const { records } of readRecords(plainBatch(library.prompt('label/write')), from)) {
    let lines = ''
    for (const { prepared } of records) lines += `${JSON.stringify(prepared.values.item)}\n`
    if (!out.write(lines)) await new Promise((resolve) => out.once('drain', resolve))
  }
  out.end()
  await finished(out)
}
