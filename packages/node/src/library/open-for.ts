import type { Library } from 'dunelight'
import { openLibrary, type OpenOptions } from './open-library.js'
import { tokenCounter } from './tokens.js'

/**
 * Opens a library to render one of its prompts, or all where none is named. What picks examples within a budget counts tokens, and the tables of
 * tokens take more time and room than all else: they are loaded only where the prompt draws on such a set.
 *
 * @throws ProblemError where the folder cannot be read.
 */
export async function openLibraryFor(
  folder: string,
  prompt: string | ((library: Library) => string | undefined) | undefined,
  options: OpenOptions = {},
): Promise<Library> {
  let counter: ((text: string) => number) | undefined
  const library = await openLibrary(folder, { ...options, countTokens: (text) => counter?.(text) ?? 0 })
  const name = typeof prompt === 'function' ? prompt(library) : prompt
  const drawn = name === undefined ? library.graph.members : library.graph.drawsOn({ kind: 'prompt', name })
  const counts = drawn.some((one) => one.kind === 'example set' && library.shelf.examples.get(one.name)?.pick.budget !== undefined)
  if (counts) counter = await tokenCounter()
  return library
}
