import type { Library } from 'dunelight'
import { openLibrary, openLibraryFor, type OpenOptions } from '@dunelight/node'

/** Opens a library to look at it: nothing is picked from its example sets. */
export function openToRead(folder: string): Promise<Library> {
  return openLibrary(folder, { countTokens: () => 0 })
}

/** Opens a library to render prompts of it; what is named is what may be rendered, all of them where nothing is. */
export function openToRender(folder: string, prompt?: string, options: OpenOptions = {}): Promise<Library> {
  return openLibraryFor(folder, prompt, options)
}

/** Opens a library to run a batch of it, or a prompt. */
export function openToRun(folder: string, what: string): Promise<Library> {
  return openLibraryFor(folder, (library) => promptOf(library, what))
}

/** The prompt that is meant: a batch's, or the one of that name. */
export function promptOf(library: Library, what: string): string {
  return library.artefacts.batches.get(what)?.prompt?.name ?? what
}
