import { problem, type Problem } from '../problems/problem.js'
import type { ApprovalRule, Approvers } from './approvers.js'
import { isSignedBy } from './signed.js'
import type { SignedStatement, StatedAction } from './statement.js'

/** The edition that statements are about. */
export interface Subject {
  readonly library: string
  readonly name: string
  readonly number: number
  /** The digest of the bytes of the edition's file. */
  readonly digest: string
  readonly tags: readonly string[]
}

/** One statement, and whether it counts. */
export interface JudgedStatement {
  readonly action: StatedAction
  /** Who signed: the name that the approvers' file has for the key. */
  readonly by: string | undefined
  readonly key: string
  readonly time: string
  /** Why it does not count; undefined if it does. */
  readonly fault: string | undefined
}

/** Whether an edition may be used, and why. */
export interface Standing {
  readonly isApproved: boolean
  readonly publisher: string | undefined
  readonly statements: readonly JudgedStatement[]
  /** What is still needed, a sentence for each. */
  readonly missing: readonly string[]
  /** Who took an approval back. */
  readonly revokedBy: readonly string[]
}

/**
 * Judges the statements about an edition by the approvers that are trusted.
 *
 * @param subject - The edition: its bytes' digest, its name and number, the library.
 * @param statements - All statements that were found, whatever they say.
 * @param approvers - The people, keys and rules.
 * @returns Whether each rule holds, and what is missing.
 * @example
 * standingOf({ library: 'l', name: 'p', number: 1, digest: '', tags: [] }, [], { digest: '', library: 'l', people: new Map(), publishers: [], rules: [] }).missing // => ['the signature of a publisher']
 */
export function standingOf(subject: Subject, statements: readonly SignedStatement[], approvers: Approvers): Standing {
  const judged = statements.map((signed) => judge(subject, signed, approvers))
  const valid = judged.filter(({ fault }) => fault === undefined)
  const names = (action: StatedAction) => new Set(valid.filter((s) => s.action === action).map((s) => s.by ?? ''))
  const published = names('publish')
  const revoked = names('revoke')
  const counted = judged.map((statement) => {
    if (statement.action !== 'approve' || statement.fault !== undefined) return statement
    const by = statement.by ?? ''
    const fault = revoked.has(by) ? 'it was revoked' : published.has(by) ? 'who publishes an edition cannot approve it' : undefined
    return { ...statement, fault }
  })
  const approved = new Set(counted.filter((s) => s.action === 'approve' && s.fault === undefined).map((s) => s.by ?? ''))
  const missing = published.size === 0 ? ['the signature of a publisher'] : []
  for (const rule of approvers.rules) if (applies(rule, subject.tags)) missing.push(...lacking(rule, approved, approvers))
  return {
    isApproved: missing.length === 0,
    publisher: [...published][0],
    statements: counted,
    missing,
    revokedBy: [...revoked],
  }
}

/** Why an edition of this standing may not be used; undefined if it may. */
export function refusalOf(
  { name, number }: Pick<Subject, 'name' | 'number'>,
  { isApproved, missing, revokedBy }: Standing,
): Problem | undefined {
  if (isApproved) return undefined
  return revokedBy.length > 0
    ? problem('edition-revoked', { name, number, by: revokedBy.join(', ') })
    : problem('edition-unapproved', { name, number, missing })
}

function applies({ tags }: ApprovalRule, own: readonly string[]): boolean {
  return tags.length === 0 || tags.some((tag) => own.includes(tag))
}

function lacking({ needs, by, tags }: ApprovalRule, approved: ReadonlySet<string>, { people }: Approvers): string[] {
  const have = by.filter((name) => approved.has(name)).length
  if (have >= needs) return []
  const whose = by.length === people.size ? '' : ` by ${by.join(', ')}`
  return [`${have} of ${needs} approvals${whose}${tags.length > 0 ? `, as for ${tags.join(', ')}` : ''}`]
}

function judge(subject: Subject, { statement, signature }: SignedStatement, { people, publishers }: Approvers): JudgedStatement {
  const { action, key, time } = statement
  const [by, known] = [...people].find(([, person]) => person.id === key) ?? []
  const fault = (): string | undefined => {
    if (statement.library !== subject.library) return 'it is about another library'
    if (statement.prompt !== subject.name || statement.edition !== subject.number) return 'it is about another edition'
    if (statement.digest !== subject.digest) return 'it is about other bytes'
    if (known === undefined) return 'its key is not listed'
    if (!isSignedBy(known, signature, 'dunelight-approval-1', { ...statement })) return 'its signature is wrong'
    if (action === 'publish' && by !== undefined && !publishers.includes(by)) return `${by} is not a publisher`
    return undefined
  }
  return { action, by, key, time, fault: fault() }
}
