import { createPrivateKey, createPublicKey, generateKeyPairSync, sign, type KeyObject } from 'node:crypto'
import { mkdir, open, readFile, realpath } from 'node:fs/promises'
import { dirname, join, resolve } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { digestOf, signedBytes, type Purpose } from 'dunelight/editions'
import { reason } from '../output/reason.js'

/** A key that signs. */
export interface SigningKey {
  /** The digest of its public key. */
  readonly id: string
  readonly publicKey: string
  /** The signature of a statement, in Base64. */
  readonly sign: (purpose: Purpose, statement: Readonly<Record<string, unknown>>) => string
}

/**
 * Reads a private key for signing.
 *
 * @param path - A file that `dunelight key` made: PKCS#8 in PEM form, encrypted.
 * @param passphrase - Called if the key is encrypted.
 * @returns The key.
 * @throws ProblemError if the file is not an Ed25519 private key, or if the passphrase is wrong.
 * @example
 * const thrown = await readSigningKey('README.md', async () => '').catch((error) => error)
 * thrown.problems[0].code // => 'key-unusable'
 */
export async function readSigningKey(path: string, passphrase: () => Promise<string>): Promise<SigningKey> {
  const unusable = (why: string, cause?: unknown) => new ProblemError([problem('key-unusable', { file: path, why })], { cause })
  const pem = await readFile(path, 'utf8').catch((fault: unknown) => {
    throw unusable(reason(fault), fault)
  })
  if (!/PRIVATE KEY-----/.test(pem)) throw unusable('it is not a private key')
  const isEncrypted = pem.includes('ENCRYPTED')
  const secret = isEncrypted ? { passphrase: await passphrase() } : {}
  let key: KeyObject
  try {
    key = createPrivateKey({ key: pem, format: 'pem', ...secret })
  } catch (fault) {
    throw unusable(isEncrypted ? 'the passphrase is wrong' : 'it is not a private key', fault)
  }
  if (key.asymmetricKeyType !== 'ed25519') throw unusable(`it is a key of the type ${key.asymmetricKeyType ?? 'unknown'}, not Ed25519`)
  const publicKey = createPublicKey(key)
  return {
    id: digestOf(publicKey.export({ type: 'spki', format: 'der' })),
    publicKey: publicKey.export({ type: 'spki', format: 'pem' }).toString(),
    sign: (purpose, statement) => sign(null, signedBytes(purpose, statement), key).toString('base64'),
  }
}

/**
 * Makes a key pair. The private key goes to a new file that only its owner can read, encrypted with the passphrase.
 *
 * @param path - The file: outside every library, and not there yet.
 * @param passphrase - What the key is encrypted with.
 * @returns The public key in PEM form, for the file of approvers.
 * @throws ProblemError if the file exists, or lies within a library.
 * @example
 * const thrown = await makeSigningKey('demo/marram-house/data/me.pem', 'a long passphrase').catch((error) => error)
 * thrown.problems[0].code // => 'key-unusable'
 */
export async function makeSigningKey(path: string, passphrase: string): Promise<Pick<SigningKey, 'id' | 'publicKey'>> {
  const unusable = (why: string, cause?: unknown) => new ProblemError([problem('key-unusable', { file: path, why })], { cause })
  if (passphrase.length < SHORTEST) throw unusable(`the passphrase needs at least ${SHORTEST} characters`)
  if (await isInLibrary(path)) throw unusable('it would lie in a library; keep private keys elsewhere')
  const { publicKey, privateKey } = generateKeyPairSync('ed25519', {
    publicKeyEncoding: { type: 'spki', format: 'pem' },
    privateKeyEncoding: { type: 'pkcs8', format: 'pem', cipher: 'aes-256-cbc', passphrase },
  })
  await mkdir(dirname(path), { recursive: true })
  const file = await open(path, 'wx', 0o600).catch((fault: unknown) => {
    throw unusable(reason(fault), fault)
  })
  try {
    await file.writeFile(privateKey)
    await file.sync()
  } finally {
    await file.close()
  }
  return { id: digestOf(createPublicKey(publicKey).export({ type: 'spki', format: 'der' })), publicKey }
}

const SHORTEST = 8

/** Whether a file would lie below a folder with dunelight.yaml or prompts. */
async function isInLibrary(path: string): Promise<boolean> {
  const start = await realpath(dirname(resolve(path))).catch(() => dirname(resolve(path)))
  for (let folder = start; ; folder = dirname(folder)) {
    for (const name of ['dunelight.yaml', 'prompts']) if (await realpath(join(folder, name)).catch(() => undefined)) return true
    if (dirname(folder) === folder) return false
  }
}
