import type { Library } from 'dunelight'
import type { Member } from 'dunelight/parts'
import { nearest } from 'dunelight/host'
import { WrongUse } from '../ui/context.js'

const FOLDER_KINDS = {
  prompts: 'prompt',
  snippets: 'snippet',
  personas: 'persona',
  examples: 'example set',
  outputs: 'output',
  assemblies: 'assembly',
  batches: 'batch',
  envelopes: 'envelope',
} as const

/**
 * The members of a library that a person means: by name (`house/style`), or by file, from the library's folder (`snippets/house/style.yaml`)
 * or from where the command was started.
 */
export function membersNamed(library: Library, folder: string, text: string): Member[] {
  const { members } = library.graph
  const path = withoutFolder(text.replace(/\\/g, '/').replace(/^\.\//, ''), folder)
  const [, kindFolder = '', name = ''] = /^(\w+)\/(.+?)(?:\.\w+)?$/.exec(path) ?? []
  const kind = Object.hasOwn(FOLDER_KINDS, kindFolder) ? FOLDER_KINDS[kindFolder as keyof typeof FOLDER_KINDS] : undefined
  const matches = members.filter((member) => member.name === text || member.name === path || (member.kind === kind && member.name === name))
  if (matches.length > 0) return matches
  const known = members.map((member) => member.name)
  const near = nearest(text, known) ?? nearest(name, known)
  throw new WrongUse(
    `the library contains nothing named "${text}"`,
    near === undefined ? 'dunelight list shows what it contains' : `did you mean "${near}"?`,
  )
}

function withoutFolder(path: string, folder: string): string {
  const prefix = `${folder.replace(/\\/g, '/').replace(/^\.\//, '').replace(/\/+$/, '')}/`
  return path.startsWith(prefix) ? path.slice(prefix.length) : path
}

/** `snippet house/style, house/safety · persona registrar`: kinds in the order of first appearance. */
export function sayMembers(members: readonly Member[]): string {
  const kinds = new Map<string, string[]>()
  for (const { kind, name } of members) kinds.set(kind, [...(kinds.get(kind) ?? []), name])
  return [...kinds].map(([kind, names]) => `${kind} ${names.join(', ')}`).join(' · ')
}
