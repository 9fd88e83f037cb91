import { readFile, realpath } from 'node:fs/promises'
import { join, sep } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { readApprovers, type Approvers } from 'dunelight/editions'
import { reason } from '../output/reason.js'

/** The file of approvers in a library. */
export const APPROVERS_FILE = 'approvers.yaml'

/** Whose approvals count. With one of them named, only editions that these approvers have approved are used. */
export interface ApproverOptions {
  /** A file of approvers outside the library. Default: the library's own, if a digest is named. */
  readonly file?: string
  /** The digest that the file must have. */
  readonly digest?: string
  /** The folder that remembers the newest channel statement. Default: `DUNELIGHT_STATE`, else one of the user. */
  readonly state?: string
}

/**
 * The approvers that are trusted; undefined where none are named. The library's own file is trusted by its digest only: who can write the
 * library could write it.
 *
 * @throws ProblemError if the file cannot be read, is not the one with the digest, or lies within the library without a digest.
 */
export async function trustedApprovers(root: string, { file, digest }: ApproverOptions): Promise<Approvers | undefined> {
  if (file === undefined && digest === undefined) return undefined
  const name = file ?? APPROVERS_FILE
  const approvers = await readApproversFile(file ?? join(root, APPROVERS_FILE), name)
  const isWithin = file === undefined || (await realpath(file)).startsWith((await realpath(root)) + sep)
  if (digest === undefined && isWithin) throw new ProblemError([problem('approvers-unpinned', { file: name, digest: approvers.digest })])
  if (digest !== undefined && digest !== approvers.digest)
    throw new ProblemError([problem('approvers-invalid', { file: name, why: `its digest is ${approvers.digest}, not ${digest}` })])
  return approvers
}

/** The approvers by whom signatures are shown and made: those that are named, else the library's own; undefined where it has none. */
export async function statedApprovers(root: string, { file, digest }: ApproverOptions = {}): Promise<Approvers | undefined> {
  if (file !== undefined) return trustedApprovers(root, { file, digest: digest ?? (await readApproversFile(file, file)).digest })
  if (digest !== undefined) return trustedApprovers(root, { digest })
  const path = join(root, APPROVERS_FILE)
  return (await realpath(path).catch(() => undefined)) === undefined ? undefined : readApproversFile(path, APPROVERS_FILE)
}

async function readApproversFile(path: string, name: string): Promise<Approvers> {
  const text = await readFile(path, 'utf8').catch((fault: unknown) => {
    throw new ProblemError([problem('file-unreadable', { file: name, why: reason(fault) })])
  })
  return readApprovers(text, name)
}
