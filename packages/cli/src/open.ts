import type { Library } from 'dunelight'
import { openLibrary, tokenCounter, type OpenOptions } from '@dunelight/node'

/** A counter whose tables are loaded once somebody is known to count: they take longer than all else that a command does. */
function lateCounter() {
  let counter: ((text: string) => number) | undefined
  return {
    countTokens: (text: string): number => counter?.(text) ?? 0,
    load: async (): Promise<void> => {
      counter = await tokenCounter()
    },
  }
}

/** Opens a library to look at it: nothing is picked from its example sets. */
export function openToLook(folder: string): Promise<Library> {
  return openLibrary(folder, { countTokens: lateCounter().countTokens })
}

/** Opens a library to render prompts of it; what is named is what may be rendered, all of them where nothing is. */
export async function openToRender(folder: string, prompt?: string, options: OpenOptions = {}): Promise<Library> {
  const late = lateCounter()
  const library = await openLibrary(folder, { ...options, countTokens: late.countTokens })
  const drawn = prompt === undefined ? library.graph.members : library.graph.drawsOn({ kind: 'prompt', name: prompt })
  const counts = drawn.some((one) => one.kind === 'example set' && library.shelf.examples.get(one.name)?.pick.budget !== undefined)
  if (counts) await late.load()
  return library
}
