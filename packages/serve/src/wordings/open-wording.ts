import { ProblemError, type Library } from 'dunelight'
import type { Standing } from 'dunelight/editions'
import { openLibrary } from '@dunelight/node'
import { noteSecrets, type ApproverOptions, type StoredEdition } from '@dunelight/node/host'
import { openTextOf } from './free-text.js'
import type { Wording, WordingEdition } from './wording.js'

/** Opens one edition of a prompt; it has to be approved where approvers are named. */
export async function openEdition(
  root: string,
  { name, number, digest, edition }: StoredEdition,
  approvers: ApproverOptions,
  beside: string,
  standing: Standing | undefined,
): Promise<Wording> {
  const library = await openLibrary(root, { at: `${name}@${number}`, approvers })
  const { created, author, note } = edition
  return wordingOf(library, name, beside, { number, digest, created, author, note, approval: standing && approvalIn(standing) })
}

function approvalIn({ publisher, statements }: Standing): NonNullable<WordingEdition['approval']> {
  const by = statements.flatMap(({ action, fault, by: name }) => (action === 'approve' && fault === undefined ? [name ?? ''] : []))
  return { publisher, by: [...new Set(by)] }
}

/**
 * A prompt of a library as a wording.
 *
 * @throws ProblemError if it has errors, or must not be served.
 */
export function wordingOf(library: Library, name: string, beside: string, edition?: WordingEdition): Wording {
  const prompt = library.prompt(name)
  // A model may send its secret back, and so may a caller.
  noteSecrets(library.artefacts.models.models.values())
  const openText = openTextOf(library, name)
  if (openText) throw new ProblemError([openText])
  const model = library.artefacts.prompts.get(name)
  return { name, library, prompt, tags: model?.tags ?? [], isTool: model?.isTool ?? false, edition, beside }
}
