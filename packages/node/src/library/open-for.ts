import { countsTokens } from 'dunelight/host'
import { readReference } from 'dunelight/editions'
import type { Library } from 'dunelight'
import { openLibrary, type OpenOptions } from './open-library.js'
import { tokenCounter } from './tokens.js'

/**
 * Opens a library to render one prompt. The tables of the token encoding are loaded only if that prompt counts tokens.
 *
 * @param folder - The library's folder.
 * @param prompt - The prompt's name, a reference such as `label/write@live`, or a function that chooses it; undefined for all prompts.
 * @param options - As for `openLibrary`.
 * @returns The checked library.
 * @throws ProblemError if the folder cannot be read.
 * @example
 * const library = await openLibraryFor('demo/marram-house', 'label/write')
 * library.canRender('label/write') // => true
 */
export async function openLibraryFor(
  folder: string,
  prompt: string | ((library: Library) => string | undefined) | undefined,
  options: OpenOptions = {},
): Promise<Library> {
  let counter: ((text: string) => number) | undefined
  const at = typeof prompt === 'string' && prompt.includes('@') ? prompt : options.at
  const library = await openLibrary(folder, { ...options, ...(at !== undefined && { at }), countTokens: (text) => counter?.(text) ?? 0 })
  const name = typeof prompt === 'function' ? prompt(library) : prompt && readReference(prompt).name
  const drawn =
    name === undefined
      ? library.graph.members
      : library.graph.drawsOn({ kind: library.artefacts.assemblies.has(name) ? 'assembly' : 'prompt', name })
  const { examples, prompts } = library.artefacts
  const models = drawn.flatMap(({ kind, name }) => {
    const model = kind === 'example set' ? examples.get(name) : kind === 'prompt' ? prompts.get(name) : undefined
    return model ? [model] : []
  })
  const own = name === undefined ? undefined : prompts.get(name)
  if ([...models, ...(own ? [own] : [])].some(countsTokens)) counter = await tokenCounter()
  return library
}
