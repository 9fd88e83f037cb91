import { read } from 'read'
import { readSigningKey, type SigningKey } from '@dunelight/node'
import type { Flag } from '../define-command.js'
import { WrongUse, type CommandContext } from '../ui/context.js'

export interface KeyFlags {
  readonly signingKey?: string
}

export const SIGNING_KEY: Flag = ['--signing-key <file>', 'the private key that signs; dunelight key makes one']

/** The environment variable that has the passphrase where no terminal can ask for it. */
const PASSPHRASE = 'DUNELIGHT_PASSPHRASE'

/** The key that an option names; undefined without the option. */
export async function signingKeyOf(context: CommandContext, { signingKey }: KeyFlags): Promise<SigningKey | undefined> {
  return signingKey === undefined ? undefined : readSigningKey(signingKey, () => askPassphrase(context, `passphrase of ${signingKey}`))
}

/** A passphrase: from the environment, else typed at a terminal that does not show it. */
export async function askPassphrase({ env, stdin, stderr }: CommandContext, what: string): Promise<string> {
  const given = env[PASSPHRASE]
  if (given !== undefined && given !== '') return given
  if (!isTerminal(stdin)) throw new WrongUse('a passphrase is needed, and there is no terminal to ask for it', `set ${PASSPHRASE}`)
  return read({ prompt: `${what}: `, silent: true, input: stdin, output: stderr })
}

/** Asks a question that is answered with a word. */
export function askWord({ stdin, stderr }: CommandContext, question: string): Promise<string> {
  return read({ prompt: `${question} `, input: stdin, output: stderr })
}

export function isTerminal(stream: object): boolean {
  return 'isTTY' in stream && stream.isTTY === true
}
