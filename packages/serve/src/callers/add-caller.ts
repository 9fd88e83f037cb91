import { access, mkdir, realpath } from 'node:fs/promises'
import { dirname, resolve, sep } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { replaceFile } from '@dunelight/node/host'
import { isSeq } from 'yaml'
import type { Caller } from './caller.js'
import { callersIn, documentAt, documentOf } from './callers-file.js'
import { newCallerId, newToken } from './token.js'

/** A new caller's rights, by the keys of callers.yaml. */
export interface NewCaller {
  readonly prompts?: readonly string[] | 'all'
  readonly tags?: readonly string[]
  readonly operations?: readonly string[]
  readonly channels?: readonly string[]
  readonly editions?: boolean
  readonly expires?: string
  readonly 'per-minute'?: number
  readonly 'tokens-a-day'?: number
}

/**
 * Adds a caller to callers.yaml, or a second token to a caller that is there. The file keeps its comments.
 *
 * @param path - The file, outside the library.
 * @param name - The caller's name.
 * @param rights - What a new caller may do; nothing for one that is there.
 * @param outside - A folder that the file must not lie in: the library's.
 * @returns The token, which is stored nowhere, and the caller.
 * @throws ProblemError if the file is invalid, or if the caller has two tokens.
 * @example
 * const { token, caller } = await addCaller(join(scratch, 'callers.yaml'), 'front-desk', { tags: ['visitor'] })
 * token.startsWith(`dl_${caller.id}_`) // => true
 */
export async function addCaller(
  path: string,
  name: string,
  rights: NewCaller = {},
  outside?: string,
): Promise<{ readonly token: string; readonly caller: Caller; readonly isNew: boolean }> {
  await refuseWithin(path, outside)
  const isThere = await access(path).then(
    () => true,
    () => false,
  )
  const document = isThere
    ? await documentAt(path)
    : documentOf('# Who may call the service. The tokens themselves are stored nowhere.\ncallers: {}\n', path)
  const known = callersIn(document, path).find((caller) => caller.name === name)
  const refuse = (why: string) => new ProblemError([problem('callers-invalid', { file: path, why })])
  const { token, digest } = newToken(known?.id ?? freshId(callersIn(document, path)))
  if (known) {
    if (Object.keys(rights).length > 0) throw refuse(`${name} is there already; change its rights in the file`)
    if (known.tokens.length > 1) throw refuse(`${name} has two tokens; remove the one that is no longer used`)
    const tokens = document.getIn(['callers', name, 'tokens'])
    if (isSeq(tokens)) tokens.add(digest)
    else document.setIn(['callers', name, 'tokens'], [digest])
  } else {
    document.setIn(['callers', name], document.createNode({ id: token.split('_')[1], tokens: [digest], ...rights }, { flow: false }))
    const callers = document.get('callers', true)
    if (typeof callers === 'object' && callers !== null && 'flow' in callers) callers.flow = false
  }
  const text = document.toString({ lineWidth: 0 })
  const caller = callersIn(documentOf(text, path), path).find((item) => item.name === name)
  if (!caller) throw refuse(`${name} cannot be added`)
  await mkdir(dirname(path), { recursive: true })
  await replaceFile(path, text, { mode: 0o600 })
  return { token, caller, isNew: !known }
}

/** Who can write the library must not be able to add callers. */
export async function refuseWithin(path: string, outside: string | undefined): Promise<void> {
  if (outside === undefined) return
  const folder = await realpath(dirname(resolve(path))).catch(() => dirname(resolve(path)))
  const library = await realpath(outside)
  if (folder === library || folder.startsWith(library + sep))
    throw new ProblemError([problem('callers-invalid', { file: path, why: 'it must lie outside the library' })])
}

function freshId(callers: readonly Caller[]): string {
  for (;;) {
    const id = newCallerId()
    if (callers.every((caller) => caller.id !== id)) return id
  }
}
