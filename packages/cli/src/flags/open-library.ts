import type { Library } from 'dunelight'
import { meansEdition, readReference } from 'dunelight/editions'
import { openLibrary, openLibraryFor, wordingOf, type OpenOptions, type Wording } from '@dunelight/node'
import type { Flag } from '../define-command.js'
import { colorsFor, sayProblems, type CommandContext } from '../ui/context.js'

/** Whose approvals an edition needs. */
export interface ApproverFlags {
  readonly approvers?: string
  readonly approversDigest?: string
}

export const APPROVER_FLAGS: readonly Flag[] = [
  ['--approvers <file>', 'use only editions that these approvers have approved (or DUNELIGHT_APPROVERS)'],
  ['--approvers-digest <digest>', 'the digest that the file of approvers must have (or DUNELIGHT_APPROVERS_DIGEST)'],
]

/** Opens a library to look at it: nothing is picked from its example sets. */
export function openToRead(folder: string, options: OpenOptions = {}): Promise<Library> {
  return openLibrary(folder, { ...options, countTokens: () => 0 })
}

/** Opens a library to render prompts of it; what is named is what may be rendered, all of them where nothing is. */
export function openToRender(folder: string, prompt?: string, options: OpenOptions = {}): Promise<Library> {
  return openLibraryFor(folder, prompt, options)
}

/** What a command was told to use: a prompt, an assembly or a batch, and the library with the wording that is meant. */
export interface Named {
  readonly library: Library
  /** Without the reference to a wording. */
  readonly name: string
}

/** Opens a library for a prompt, an assembly or a batch, in the wording that a reference such as `label/write@live` means. */
export async function openNamed(
  context: CommandContext,
  folder: string,
  stated: string,
  flags: ApproverFlags = {},
  open: (folder: string, options: OpenOptions) => Promise<Library> = (home, options) =>
    openLibraryFor(home, (library) => promptOf(library, readReference(stated).name), options),
): Promise<Named> {
  const { name, snapshot } = readReference(stated)
  // Options that name approvers ask for an edition; the environment's are for whatever edition is used.
  const isNamed = flags.approvers !== undefined || flags.approversDigest !== undefined
  const approvers = isNamed || meansEdition(stated) ? approversOf(context, flags) : {}
  if (!snapshot) return { library: await open(folder, { approvers }), name }
  const library = await open(folder, { at: stated, approvers })
  const wording = wordingOf(library)
  const c = colorsFor(context.stderr, context.env)
  sayProblems(
    context,
    library.problems.filter(({ code }) => code === 'channels-expired'),
  )
  if (wording && snapshot.kind !== 'edition') context.stderr.write(`${c.dim(`${stated} is ${wordingWords(wording)}`)}\n`)
  return { library, name }
}

/** Whose approvals are needed: by the options, else by the environment. */
export function approversOf({ env }: CommandContext, { approvers, approversDigest }: ApproverFlags): NonNullable<OpenOptions['approvers']> {
  return environmentApprovers({
    ...env,
    ...(approvers !== undefined && { DUNELIGHT_APPROVERS: approvers }),
    ...(approversDigest !== undefined && { DUNELIGHT_APPROVERS_DIGEST: approversDigest }),
  })
}

/** Whose approvals are needed by the environment. */
export function environmentApprovers(env: NodeJS.ProcessEnv): NonNullable<OpenOptions['approvers']> {
  const { DUNELIGHT_APPROVERS: file, DUNELIGHT_APPROVERS_DIGEST: digest } = env
  return { ...(file !== undefined && file !== '' && { file }), ...(digest !== undefined && digest !== '' && { digest }) }
}

function wordingWords({ edition, commit = '' }: Wording): string {
  return edition ? `edition ${edition.number}` : `commit ${commit.slice(0, 12)}`
}

/** The prompt that is meant: a batch's, or the one of that name. */
export function promptOf(library: Library, what: string): string {
  return library.artefacts.batches.get(what)?.prompt?.name ?? what
}
