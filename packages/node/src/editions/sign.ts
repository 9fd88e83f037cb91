import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { statementText, type Approvers, type SignedStatement, type StatedAction } from 'dunelight/editions'
import { standingIn } from '../snapshots/choose-edition.js'
import { statementPath, type EditionsOf, type StoredEdition } from '../snapshots/edition-folder.js'
import { tagsOf } from 'dunelight/editions'
import { store } from './editing.js'
import type { SigningKey } from './signing.js'

/** Who signs, and what for. */
interface Signing {
  readonly approvers: Approvers | undefined
  readonly key: SigningKey
  readonly action: StatedAction
}

/**
 * Refuses the key of a person who may not publish.
 *
 * @throws ProblemError if the approvers do not list it, or not as a publisher's.
 */
export function refuseUselessKey(approvers: Approvers | undefined, key: SigningKey): void {
  const by = nameOf(approvers, key)
  if (!approvers?.publishers.includes(by)) throw new ProblemError([problem('signature-useless', { why: `${by} is not a publisher` })])
}

/**
 * Signs a statement about an edition, and stores it.
 *
 * @param all - What is stored of the prompt's editions: it decides whether the signature would count.
 * @throws ProblemError if it would not count.
 */
export async function sign(root: string, all: EditionsOf, stored: StoredEdition, { approvers, key, action }: Signing): Promise<void> {
  const by = nameOf(approvers, key)
  if (!approvers) return
  const { edition, name, number, digest } = stored
  const statement = {
    action,
    library: edition.library,
    prompt: name,
    edition: number,
    digest,
    rule: approvers.digest,
    time: new Date().toISOString(),
    key: key.id,
  } as const
  const signed: SignedStatement = { statement, signature: key.sign('dunelight-approval-1', statement) }
  const path = statementPath(stored, signed)
  const others = all.statements.filter((known) => known.path !== path)
  const { statements } = standingIn({ ...all, statements: [...others, { path, signed }] }, stored, tagsOf(edition), approvers)
  const why = statements.find((judged) => judged.by === by && judged.action === action)?.fault
  if (why !== undefined) throw new ProblemError([problem('signature-useless', { why })])
  await store(root, path, statementText(signed))
}

function nameOf(approvers: Approvers | undefined, key: SigningKey): string {
  const name = [...(approvers?.people ?? [])].find(([, { id }]) => id === key.id)?.[0]
  if (name === undefined) throw new ProblemError([problem('key-unlisted', { key: key.id, listed: approvers !== undefined })])
  return name
}
