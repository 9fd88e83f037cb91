import { faultIn, NAME, parsedJson, POSITIVE, TEXT, TIME, type Check } from './shape.js'
import { isDigest } from './signed.js'

/** `publish` is what the publisher signs, `revoke` takes an approval of the same key back. */
export const STATED_ACTIONS = ['publish', 'approve', 'revoke'] as const
export type StatedAction = (typeof STATED_ACTIONS)[number]

/** What is signed of an edition: exact bytes, never a description. */
export interface Statement {
  readonly action: StatedAction
  readonly library: string
  readonly prompt: string
  readonly edition: number
  /** The digest of the bytes of the edition's file. */
  readonly digest: string
  /** The digest of the file of approvers that the signer saw. */
  readonly rule: string
  readonly time: string
  /** The id of the key that signs. */
  readonly key: string
}

export interface SignedStatement {
  readonly statement: Statement
  /** In Base64. */
  readonly signature: string
}

const DIGEST: Check = ['a SHA-256 digest', isDigest]
const KEYS = {
  action: [STATED_ACTIONS.join(', '), (value: unknown) => (STATED_ACTIONS as readonly unknown[]).includes(value)],
  library: TEXT,
  prompt: NAME,
  edition: POSITIVE,
  digest: DIGEST,
  rule: DIGEST,
  time: TIME,
  key: DIGEST,
  signature: TEXT,
} satisfies Record<string, Check>

export function statementText({ statement, signature }: SignedStatement): string {
  return `${JSON.stringify({ ...statement, signature }, null, 2)}\n`
}

/** Reads the file of a statement; a text says what is wrong. The signature is not checked here. */
export function readStatement(text: string): SignedStatement | string {
  const parsed = parsedJson(text)
  if (typeof parsed === 'string') return parsed
  const fault = faultIn(parsed.data, KEYS)
  if (fault !== undefined) return fault
  const { signature, ...statement } = parsed.data as Statement & { readonly signature: string }
  return { statement, signature }
}
