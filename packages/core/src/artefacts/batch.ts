import type { BatchModel } from './artefacts.js'
import { ArtefactReader, type Reading } from './reading.js'

/** batches/*.yaml: its names are checked; running it is not part of this version's core. */
export function readBatch(reading: Reading): BatchModel {
  const reader = new ArtefactReader(reading, 'a batch', {
    title: 'text',
    about: 'text',
    prompt: 'text',
    records: 'map',
    join: 'list',
    keep: 'text',
    columns: 'map',
    set: 'map',
    name: 'text',
    to: 'text',
    send: 'list',
  })
  reader.keys.required('prompt')
  reader.keys.required('records')
  return { kind: 'batch', ...reader.artefact, prompt: reader.named('prompt') }
}
