import type { BatchModel } from './artefacts.js'
import { Keys } from './keys.js'
import { ownPath } from './paths.js'
import { ArtefactReader, type Reading } from './reading.js'

/** batches/*.yaml: its names and its table are read; running it is not part of this version. */
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
  const { keys, report } = reader
  keys.required('prompt')
  const node = keys.required('records')
  const records = node && new Keys<'from' | 'as'>(node, 'records', { from: 'text', as: 'text' }, report)
  const from = records?.required('from')
  return {
    kind: 'batch',
    ...reader.artefact,
    prompt: reader.named('prompt'),
    records: from && ownPath(from.string ?? '', from.span, reading.file.name, report),
    set: (keys.get('set')?.data() ?? {}) as Record<string, unknown>,
    shaped: keys.has('join') || keys.has('keep') || keys.has('columns'),
  }
}
