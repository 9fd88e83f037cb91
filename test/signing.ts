import { createHash, generateKeyPairSync, sign } from 'node:crypto'
import { signedBytes, type Purpose } from 'dunelight/editions'
import type { SigningKey } from '@dunelight/node'

/** A key that no file has. */
export function makeKey(): SigningKey {
  const { publicKey, privateKey } = generateKeyPairSync('ed25519')
  const der = publicKey.export({ type: 'spki', format: 'der' })
  return {
    id: `sha256:${createHash('sha256').update(der).digest('hex')}`,
    publicKey: publicKey.export({ type: 'spki', format: 'pem' }).toString(),
    sign: (purpose: Purpose, statement) => sign(null, signedBytes(purpose, statement), privateKey).toString('base64'),
  }
}

/** A file of approvers. */
export function approversText(people: Readonly<Record<string, SigningKey>>, rest: string): string {
  const keys = Object.entries(people).map(([name, { publicKey }]) => `  ${name}: |\n${publicKey.trimEnd().replaceAll(/^/gm, '    ')}\n`)
  return `people:\n${keys.join('')}${rest}\n`
}
