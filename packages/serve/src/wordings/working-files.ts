import { ProblemError, type Library } from 'dunelight'
import { openLibrary } from '@dunelight/node'
import { wordingOf } from './open-wording.js'
import { WORKING, type RefusedWording, type Wording, type WordingState } from './wording.js'

/**
 * The prompts of the working files. A library with errors never takes the place of one without.
 *
 * @throws ProblemError with the errors, if there is an earlier state that must stay.
 */
export async function workingState(root: string, beside: string, before: WordingState | undefined): Promise<WordingState> {
  const library = await openLibrary(root)
  if (before && !library.isValid) throw new ProblemError(library.problems.filter(({ severity }) => severity === 'error'))
  const wordings = new Map<string, Wording>()
  const refused: RefusedWording[] = []
  for (const name of library.promptNames()) {
    const wording = tried(library, name, beside)
    if (wording instanceof ProblemError) refused.push({ name, channel: WORKING, why: wording })
    else wordings.set(name, wording)
  }
  return { channels: new Map([[WORKING, wordings]]), refused, statement: undefined }
}

function tried(library: Library, name: string, beside: string): Wording | ProblemError {
  try {
    return wordingOf(library, name, beside)
  } catch (fault) {
    if (fault instanceof ProblemError) return fault
    throw fault
  }
}
