import { makeSigningKey } from '@dunelight/node'
import { defineCommand } from '../define-command.js'
import { askPassphrase } from '../flags/signing-key.js'
import { EXIT, WrongUse, type CommandContext } from '../ui/context.js'

export const keyCommand = defineCommand({
  name: 'key',
  group: 'Production',
  about: 'Make a key that signs: the private key into a file, encrypted; the public key to stdout, for approvers.yaml.',
  arguments: [],
  options: [['--to <file>', 'the file of the private key, outside every library', undefined, true]],
  examples: ['key --to ~/keys/registrar.pem'],
  run: (context, _, flags: { readonly to: string }) => makeKey(context, flags.to),
})

async function makeKey(context: CommandContext, path: string): Promise<number> {
  const passphrase = await askPassphrase(context, 'a new passphrase')
  if (passphrase !== (await askPassphrase(context, 'the same again'))) throw new WrongUse('the passphrases differ', 'try again')
  const { id, publicKey } = await makeSigningKey(path, passphrase)
  context.stdout.write(publicKey)
  context.stderr.write(`private key: ${path}\nid of the key: ${id}\n`)
  return EXIT.done
}
