import { defined } from '../invariant.js'
import { stringify } from 'yaml'
import { WHAT_IN } from '../artefacts/read.js'
import type { AnyAssembly, AnyExampleSet, AnyOutput, AnyPrompt, PersonaDefinition, SnippetDefinition } from './definitions.js'

type Definition = AnyPrompt | SnippetDefinition | PersonaDefinition | AnyExampleSet | AnyOutput | AnyAssembly

/** A library written in code: its artefacts by the names that texts and programs use. */
export interface LibraryInput {
  readonly title?: string
  readonly about?: string
  readonly locale?: string
  readonly settings?: Readonly<Record<string, unknown>>
  readonly limits?: Readonly<Record<string, number>>
  readonly prompts?: Readonly<Record<string, AnyPrompt>>
  /** A text alone is a snippet without variables. */
  readonly snippets?: Readonly<Record<string, SnippetDefinition | string>>
  readonly personas?: Readonly<Record<string, PersonaDefinition>>
  readonly examples?: Readonly<Record<string, AnyExampleSet>>
  readonly outputs?: Readonly<Record<string, AnyOutput>>
  readonly assemblies?: Readonly<Record<string, AnyAssembly>>
}

const SHELVES = ['prompts', 'snippets', 'personas', 'examples', 'outputs', 'assemblies'] as const

/** The files of a library that is written in code: path below its folder → YAML. */
export function filesOf(input: LibraryInput): Record<string, string> {
  const { title, about, locale, settings, limits } = input
  const main = { title, about, locale, settings, limits }
  const files: Record<string, string> = Object.values(main).some((item) => item !== undefined) ? { 'dunelight.yaml': yamlOf(main) } : {}
  const names = new Map<unknown, string>()
  const onShelf = (folder: (typeof SHELVES)[number]) => Object.entries<Definition | string>(input[folder] ?? {})
  for (const folder of SHELVES)
    for (const [name, definition] of onShelf(folder)) if (typeof definition !== 'string') names.set(definition, name)
  for (const folder of SHELVES) {
    for (const [name, definition] of onShelf(folder)) {
      if (typeof definition === 'string') files[`${folder}/${name}.md`] = block(definition)
      else files[`${folder}/${name}.yaml`] = yamlOf(plain(definition.input, names, `the ${WHAT_IN[folder]} "${name}"`))
    }
  }
  return files
}

function yamlOf(document: unknown): string {
  // Long lines stay lines: a folded scalar would swallow directive lines.
  return stringify(document, { lineWidth: 0, blockQuote: 'literal', aliasDuplicateObjects: false, version: '1.2' })
}

/** A definition as plain data: names in place of definitions, blocks without the indentation of the code around them. */
function plain(value: unknown, names: ReadonlyMap<unknown, string>, of: string): unknown {
  if (typeof value === 'string') return block(value)
  if (Array.isArray(value)) return value.map((value) => plain(value, names, of))
  if (typeof value !== 'object' || value === null || value instanceof Date) return value
  if (isDefinition(value)) {
    const name = names.get(value)
    if (name !== undefined) return name
    const folder = defined(SHELVES.find((text) => WHAT_IN[text] === value.kind))
    throw new TypeError(
      `${of} uses ${value.kind === 'output' || value.kind === 'assembly' ? 'an' : 'a'} ${value.kind} that the library does not contain: add it under "${folder}"`,
    )
  }
  return Object.fromEntries(Object.entries(value).map(([key, value]) => [key, plain(value, names, of)]))
}

function isDefinition(value: object): value is Definition {
  return 'kind' in value && 'input' in value && SHELVES.some((folder) => WHAT_IN[folder] === value.kind)
}

/** A text that begins with a line end was written as a block: the indentation that its lines share is removed, and its last, empty line too. */
export function block(text: string): string {
  const lines = text.replace(/\r\n?/g, '\n').split('\n')
  if (lines.length === 1 || lines[0]?.trim() !== '') return text
  const body = lines.slice(1)
  if (body.at(-1)?.trim() === '') body[body.length - 1] = ''
  const indents = body.filter((line) => line.trim() !== '').map((line) => line.length - line.trimStart().length)
  const shared = Math.min(...indents)
  return body.map((line) => (line.trim() === '' ? '' : line.slice(shared))).join('\n')
}
