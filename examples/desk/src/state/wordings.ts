import { STRATEGIES } from 'dunelight/parts'
import { defined } from 'dunelight/host'
import { parseDocument } from 'yaml'
import type { Desk } from './desk.js'

/** Another wording of the chosen prompt: the library's texts with a change. */
export interface Wording {
  readonly value: string
  readonly label: string
  readonly files: (desk: Desk) => Readonly<Record<string, string>>
  /** Files that it has whatever the disk has by now. */
  readonly own?: Readonly<Record<string, string>>
}

export const EDITED: Wording = { value: 'edited', label: 'as edited', files: (desk) => desk.state.library.files }
const SAVED: Wording = { value: 'saved', label: 'as saved', files: (desk) => desk.state.library.data.files }

/** The wordings that the chosen prompt can be looked at and asked in, beside the one that is edited. */
export function otherWordings(desk: Desk): readonly Wording[] {
  const { artefacts, graph } = desk.state.shown.library
  const own = artefacts.prompts.get(desk.state.selection.wanted.prompt)
  if (!own) return [SAVED]
  const { committed } = desk.state.library
  const { data } = desk.state.production
  const editions = data?.prompt === own.name ? data.editions : []
  const sets = graph.drawsOn({ kind: 'prompt', name: own.name }).filter(({ kind }) => kind === 'example set')
  const changed = (file: string, change: (document: ReturnType<typeof parseDocument>) => void) => (desk: Desk) => {
    const document = parseDocument(desk.state.library.files[file] ?? '')
    change(document)
    return { ...desk.state.library.files, [file]: String(document) }
  }
  return [
    SAVED,
    ...(committed ? [{ value: 'committed', label: 'as committed', files: () => committed.files, own: committed.files }] : []),
    ...editions.map(({ number, files }) => ({
      value: `edition ${number}`,
      label: `edition ${number}`,
      files: (desk: Desk) => ({ ...desk.state.library.files, ...files }),
      own: files,
    })),
    ...[...artefacts.personas.keys()].map((name) => ({
      value: `persona ${name}`,
      label: `persona ${name}`,
      files: changed(own.file.name, (document) => document.set('persona', name)),
    })),
    ...sets.flatMap(({ name }) => {
      const file = defined(artefacts.examples.get(name)).file.name
      return STRATEGIES.map(({ name: by }) => ({
        value: `pick ${name} ${by}`,
        label: `${name} picked by ${by}`,
        files: changed(file, (document) => document.setIn(['pick', 'by'], by)),
      }))
    }),
  ]
}

/** The prompt's file with settings typed over its own, where they can be read. */
export function withSettings(desk: Desk, files: Readonly<Record<string, string>>, typed: string): Readonly<Record<string, string>> {
  const file = desk.library.fileOf(desk.state.selection.wanted.prompt)
  if (typed.trim() === '' || file === undefined) return files
  const stated = settingsIn(typed)
  if (!stated) return files
  const document = parseDocument(files[file] ?? '')
  for (const [key, value] of Object.entries(stated)) document.setIn(['settings', key], value)
  return { ...files, [file]: String(document) }
}

/** Typed settings; undefined where they are no `name: value`. */
export function settingsIn(typed: string): Readonly<Record<string, unknown>> | undefined {
  try {
    const stated: unknown = parseDocument(typed.includes('{') ? typed : typed.replaceAll(/,\s*/g, '\n')).toJS()
    return typeof stated === 'object' && stated !== null && !Array.isArray(stated) ? (stated as Record<string, unknown>) : undefined
  } catch {
    return undefined
  }
}
