import { realpath } from 'node:fs/promises'
import { chooseEdition, standingIn } from '../snapshots/choose-edition.js'
import type { StoredEdition } from '../snapshots/edition-folder.js'
import { tagsOf } from 'dunelight/editions'
import { statedApprovers, type ApproverOptions } from '../snapshots/trust.js'
import { editing } from './editing.js'
import { sign } from './sign.js'
import type { SigningKey } from './signing.js'

/** An edition that is to be approved, and the one that was approved before it. */
export interface ToApprove {
  readonly edition: StoredEdition
  readonly before: StoredEdition | undefined
}

/**
 * Finds an edition, and the last approved one before it: what changed between them is what a person has to look at.
 *
 * @param folder - The library's folder.
 * @param name - The prompt or assembly.
 * @param number - The edition.
 * @param approvedBy - Who may approve. Default: the library's approvers.yaml.
 * @returns The edition, and the last one before it that is approved.
 * @throws ProblemError if there is no such edition.
 * @example
 * const thrown = await editionToApprove('demo/marram-house', 'label/write', 99).catch((error) => error)
 * thrown.problems[0].code // => 'edition-unknown'
 */
export async function editionToApprove(folder: string, name: string, number: number, approvedBy: ApproverOptions = {}): Promise<ToApprove> {
  const root = await realpath(folder)
  const { chosen, all } = await chooseEdition(root, name, { kind: 'edition', number }, undefined)
  const approvers = await statedApprovers(root, approvedBy)
  const earlier = all.editions.filter((stored) => stored.number < number)
  const approved = earlier.findLast((stored) => approvers && standingIn(all, stored, tagsOf(stored.edition), approvers).isApproved)
  return { edition: chosen, before: approved }
}

/**
 * Approves an edition, or takes your own approval back, by a signature over the bytes of its file.
 *
 * @param folder - The library's folder.
 * @param name - The prompt or assembly.
 * @param number - The edition.
 * @param key - The key of a person whom approvers.yaml lists.
 * @param options - `revoke` takes an approval back, for good; who may approve, if not the library's approvers.yaml says it.
 * @returns The edition.
 * @throws ProblemError if there is no such edition, or if the key is not listed.
 * @example
 * const key = { id: 'sha256:…', publicKey: '', sign: () => '' }
 * const thrown = await approveEdition(scratch, 'label/write', 99, key).catch((error) => error)
 * thrown.problems[0].code // => 'edition-unknown'
 */
export async function approveEdition(
  folder: string,
  name: string,
  number: number,
  key: SigningKey,
  { action = 'approve', approvers }: { readonly action?: 'approve' | 'revoke'; readonly approvers?: ApproverOptions } = {},
): Promise<StoredEdition> {
  return editing(folder, async (root) => {
    const { chosen, all } = await chooseEdition(root, name, { kind: 'edition', number }, undefined)
    await sign(root, all, chosen, { approvers: await statedApprovers(root, approvers), key, action })
    return chosen
  })
}
