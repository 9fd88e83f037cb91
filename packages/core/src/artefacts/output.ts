import type { OutputModel } from './artefacts.js'
import { Keys } from './keys.js'
import { artefactOf, type Reading } from './reading.js'
import { readDeclarations } from './variables.js'
import { problem } from '../problems/problem.js'
import type { Declared } from '../values/types.js'

const OUTPUT_KINDS = ['fields', 'one-of', 'rows', 'document']

/** outputs/*.yaml */
export function readOutput(reading: Reading): OutputModel {
  const { report, root } = reading
  const artefact = artefactOf(reading)
  const kind = root.entries().find((e) => e.key === 'kind')
  const name = kind?.value.string ?? ''
  if (!kind) report(problem('key-missing', { key: 'kind', of: 'an output' }, root.span))
  else if (!OUTPUT_KINDS.includes(name))
    report(
      problem('value-unfit', { path: 'kind', expected: `one of ${OUTPUT_KINDS.join(', ')}`, found: JSON.stringify(name) }, kind.value.span),
    )
  else if (name === 'fields') return { kind: 'output', ...artefact, of: [], fields: readFields(reading) }
  else if (name !== 'one-of') report(problem('not-here-yet', { what: `an output of the kind "${name}"` }, kind.value.span))
  if (name !== 'one-of') return { kind: 'output', ...artefact, of: [], fields: undefined }
  const keys = new Keys<'title' | 'about' | 'kind' | 'of'>(
    root,
    'an output',
    { title: 'text', about: 'text', kind: 'text', of: 'list' },
    report,
  )
  keys.required('of')
  const of = keys.texts('of') ?? []
  if (keys.get('of') && of.length === 0)
    report(problem('key-unfit', { key: 'of', expected: 'at least one label', found: 'an empty list' }, keys.get('of')!.span))
  return { kind: 'output', ...artefact, of, fields: undefined }
}

const FIELDS_KEYS = { title: 'text', about: 'text', kind: 'text', fields: 'map', show: 'text' } as const

/** An output of data fields that asks for nothing in words (`show: none`): what this version has of the kind. */
function readFields({ root, report }: Reading): Declared[] {
  const keys = new Keys<keyof typeof FIELDS_KEYS>(root, 'an output', FIELDS_KEYS, report)
  const fields = keys.required('fields')
  if (keys.text('show') !== 'none')
    report(
      problem(
        'not-here-yet',
        { what: 'the instruction of an output of fields (show: none has none)' },
        keys.keySpan('show') ?? keys.keySpan('kind'),
      ),
    )
  return fields ? readDeclarations(fields, 'field', report) : []
}
