import { cellText, FORMATS, type Declared } from 'dunelight/parts'
import type { Desk } from '../state/desk.js'
import type { Command } from './palette.js'

/** Characters of a value that are shown beside its name. */
const LONGEST = 60

/** All that can be put into the text of the chosen prompt at the cursor, each with what it gives for the chosen record. */
export function insertionsOf(desk: Desk): Command[] {
  const { library, sheet, subject } = desk.state.shown
  const { artefacts } = library
  const put = (name: string, text: string, isLine = false): Command => ({ name, run: () => desk.editing.insert({ text, isLine }) })
  const values = sheet.record?.prepared?.values ?? {}
  const variables = (subject?.prompt ?? desk.selection.wantedPrompt())?.variables ?? []
  return [
    ...variables
      .flatMap((declared) => [...slotsOf(declared, values[declared.name])])
      .map(([path, value]) => put(withValue(`{${path}}`, value), `{${path}}`)),
    ...[...artefacts.snippets.keys()].map((name) => put(`snippet: ${name}`, `~ use ${name}`, true)),
    ...(artefacts.personas.size > 0 ? [put('the persona of the prompt', '~ use persona', true)] : []),
    ...(artefacts.outputs.size > 0 ? [put('what the reply has to look like', '~ use output', true)] : []),
    ...variables.map(({ name }) => put(`only where ${name} has a value`, `~ when ${name}\n\n~ end`, true)),
    ...variables
      .filter(({ type }) => type.kind === 'list' || type.kind === 'table')
      .map(({ name }) => put(`once for each of ${name}`, `~ each part in ${name}\n- {part}\n~ end`, true)),
    ...[...FORMATS.values()].map(({ name, about }) => put(`format: as ${name} — ${about}`, ` as ${name}`)),
  ]
}

/** The slots of a variable: itself, or its fields. */
function* slotsOf({ name, type }: Declared, value: unknown, before = ''): Generator<readonly [string, unknown]> {
  const path = `${before}${name}`
  if (type.kind !== 'record' || !type.fields) yield [path, value]
  else for (const field of type.fields) yield* slotsOf(field, fieldOf(value, field.name), `${path}.`)
}

function fieldOf(value: unknown, name: string): unknown {
  return typeof value === 'object' && value !== null ? (value as Readonly<Record<string, unknown>>)[name] : undefined
}

function withValue(slot: string, value: unknown): string {
  const text = cellText(value).replace(/\s+/g, ' ').trim()
  return text === '' ? slot : `${slot} — ${text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text}`
}
