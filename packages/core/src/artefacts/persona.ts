import type { PersonaModel } from './artefacts.js'
import { ArtefactReader, type Reading } from './reading.js'
import { Source } from '../source/source.js'
import { parseText } from '../text/parse.js'
import { listOf, TEXT, type Declared } from '../values/types.js'

/** Who speaks first, then how, then what always and never: the layout of a persona that brings none. */
const STANDARD_LAYOUT = `{who}
~ when voice
Your voice: {voice as sentence-list}.
~ end
~ when always
Always:
{always as bullets}
~ end
~ when never
Never:
{never as bullets}
~ end
`

export const PERSONA_KEYS = {
  title: 'text',
  about: 'text',
  who: 'text',
  voice: 'list',
  always: 'list',
  never: 'list',
  layout: 'text',
} as const
const TRAITS = ['voice', 'always', 'never'] as const

/** The names that a persona's layout may use. */
export const PERSONA_VARIABLES: readonly Declared[] = [
  { name: 'who', type: TEXT, optional: false, untrusted: false, span: undefined },
  ...TRAITS.map((name) => ({ name, type: listOf(TEXT), optional: false, untrusted: false, span: undefined })),
]

/** personas/*.yaml */
export function readPersona(reading: Reading): PersonaModel {
  const reader = new ArtefactReader(reading, 'a persona', PERSONA_KEYS)
  const { keys } = reader
  const layout = reader.textAt('layout')
  return {
    kind: 'persona',
    ...reader.artefact,
    title: keys.text('title'),
    who: (keys.required('who')?.string ?? '').replace(/\n$/, ''),
    traits: { voice: keys.texts('voice') ?? [], always: keys.texts('always') ?? [], never: keys.texts('never') ?? [] },
    layout: layout ?? parseText(new Source('the standard layout of personas', STANDARD_LAYOUT), reader.report),
    standard: layout === undefined,
  }
}
