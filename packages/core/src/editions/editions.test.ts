import { generateKeyPairSync } from 'node:crypto'
import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { ProblemError } from '../problems/problem.js'
import {
  faultOfChannels,
  readApprovers,
  readChannels,
  readEdition,
  readReference,
  readStatement,
  signedBytes,
  standingOf,
  type Statement,
  type SignedStatement,
} from './index.js'
import { approversText, makeKey } from '../../../../test/signing.js'

const keys = { hesper: makeKey(), ortrud: makeKey(), thea: makeKey() }
const stranger = makeKey()
const approvers = readApprovers(
  approversText(keys, 'publishers: [hesper]\nrules:\n  - needs: 1\n  - { tags: [legal], needs: 2, by: [ortrud, thea] }'),
  'approvers.yaml',
)
const DIGEST = `sha256:${'ab'.repeat(32)}`
const subject = { library: 'lib', name: 'label/write', number: 7, digest: DIGEST, tags: [] as string[] }

function statement(by: keyof typeof keys | 'stranger', action: Statement['action'], change: Partial<Statement> = {}): SignedStatement {
  const key = by === 'stranger' ? stranger : keys[by]
  const stated: Statement = {
    action,
    library: 'lib',
    prompt: 'label/write',
    edition: 7,
    digest: DIGEST,
    rule: approvers.digest,
    time: '2026-11-29T10:00:00.000Z',
    key: key.id,
    ...change,
  }
  return { statement: stated, signature: key.sign('dunelight-approval-1', { ...stated }) }
}

function faultsOf(run: () => unknown): string {
  try {
    run()
  } catch (fault) {
    if (fault instanceof ProblemError)
      return fault.problems.map(({ code, message, hint }) => `[${code}] ${message} ${hint ?? ''}`).join('\n')
    throw fault
  }
  return ''
}

describe('references', () => {
  test('a name alone, an edition, a channel, a commit', () => {
    expect(readReference('label/write')).toEqual({ name: 'label/write', snapshot: undefined })
    expect(readReference('label/write@12').snapshot).toEqual({ kind: 'edition', number: 12 })
    expect(readReference('label/write@next').snapshot).toEqual({ kind: 'channel', name: 'next' })
    expect(readReference('a@git:main@{yesterday}').snapshot).toEqual({ kind: 'git', revision: 'main@{yesterday}' })
  })

  test.each(['@7', 'a@', 'a@0', 'a@07', 'a@-1', 'a@git:', 'a@live now', 'a@7.5', 'a@../b', 'a@1234567890'])('"%s" is none', (text) => {
    expect(faultsOf(() => readReference(text))).toContain('[reference-invalid]')
  })
})

describe('approvers', () => {
  const rsa = generateKeyPairSync('rsa', { modulusLength: 2048 }).publicKey.export({ type: 'spki', format: 'pem' }).toString()
  const secret = generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' }).toString()
  const weak = (hex: string) =>
    `-----BEGIN PUBLIC KEY-----\n${Buffer.concat([Buffer.from('302a300506032b6570032100', 'hex'), Buffer.from(hex, 'hex')]).toString('base64')}\n-----END PUBLIC KEY-----\n`
  const withKey = (publicKey: string) =>
    approversText({ ...keys, other: { ...stranger, publicKey } }, 'publishers: [hesper]\nrules: [{ needs: 1 }]')

  test.each([
    ['an RSA key', withKey(rsa), 'it is not an Ed25519 key'],
    ['a private key', withKey(secret), 'it is a private key'],
    ['the neutral point', withKey(weak(`01${'00'.repeat(31)}`)), 'it is not a safe key'],
    ['a point of order 8', withKey(weak('c7176a703d4dd84fba3c0b760d10670f2a2053fa2c39ccc64ec7fd7792ac037a')), 'it is not a safe key'],
    ['no point', withKey(weak('02'.repeat(32))), 'it is not a safe key'],
    ['the key of another person', withKey(keys.thea.publicKey), 'the key of "thea"'],
    ['text', withKey('hello\n'), 'it is not a public key in PEM form'],
    ['no rule', approversText(keys, 'publishers: [hesper]\nrules: []'), 'a list with a rule'],
    ['a publisher without a key', approversText(keys, 'publishers: [barnaby]\nrules: [{ needs: 1 }]'), 'names of people'],
    ['more approvals than people', approversText(keys, 'publishers: [hesper]\nrules: [{ needs: 3 }]'), 'a whole number from 1 to 2'],
    ['no approval', approversText(keys, 'publishers: [hesper]\nrules: [{ needs: 0 }]'), 'a whole number from 1 to 2'],
    ['a misspelt key', approversText(keys, 'publisher: [hesper]\nrules: [{ needs: 1 }]'), 'unknown key "publisher"'],
    ['nothing', '', '[yaml-invalid]'],
  ])('%s is refused', (_, text, why) => {
    expect(faultsOf(() => readApprovers(text, 'approvers.yaml'))).toContain(why)
  })
})

describe('the standing of an edition', () => {
  const of = (statements: readonly SignedStatement[], tags: string[] = []) => standingOf({ ...subject, tags }, statements, approvers)

  test('needs the publisher, and each rule that matches', () => {
    expect(of([]).missing).toEqual(['the signature of a publisher', '0 of 1 approvals'])
    expect(of([statement('hesper', 'publish'), statement('thea', 'approve')]).isApproved).toBe(true)
    const legal = of([statement('hesper', 'publish'), statement('thea', 'approve')], ['legal'])
    expect(legal).toMatchObject({ isApproved: false, missing: ['1 of 2 approvals by ortrud, thea, as for legal'] })
    const both = [statement('hesper', 'publish'), statement('thea', 'approve'), statement('ortrud', 'approve')]
    expect(of(both, ['legal'])).toMatchObject({ isApproved: true, publisher: 'hesper' })
  })

  test('a publisher cannot approve, two approvals of one person are one, and who revokes wins', () => {
    const publisher = [statement('hesper', 'publish'), statement('hesper', 'approve')]
    expect(of(publisher)).toMatchObject({ isApproved: false, missing: ['0 of 1 approvals'] })
    const twice = [statement('thea', 'approve'), statement('thea', 'approve', { time: '2026-11-30T10:00:00.000Z' })]
    expect(of([statement('hesper', 'publish'), ...twice], ['legal']).isApproved).toBe(false)
    const revoked = of([statement('thea', 'revoke'), statement('hesper', 'publish'), ...twice])
    expect(revoked).toMatchObject({ isApproved: false, revokedBy: ['thea'] })
  })

  test.each<[string, SignedStatement, string]>([
    ['of another library', statement('thea', 'approve', { library: 'other' }), 'it is about another library'],
    ['of another prompt', statement('thea', 'approve', { prompt: 'label/revise' }), 'it is about another edition'],
    ['of another number', statement('thea', 'approve', { edition: 6 }), 'it is about another edition'],
    ['of other bytes', statement('thea', 'approve', { digest: `sha256:${'0'.repeat(64)}` }), 'it is about other bytes'],
    ['by a key that is not listed', statement('stranger', 'approve'), 'its key is not listed'],
    ['under the name of another key', statement('stranger', 'approve', { key: keys.thea.id }), 'its signature is wrong'],
    [
      'that was something else',
      { ...statement('thea', 'approve'), signature: statement('thea', 'revoke').signature },
      'its signature is wrong',
    ],
  ])('a statement %s does not count', (_, signed, fault) => {
    const standing = of([statement('hesper', 'publish'), signed])
    expect(standing.isApproved).toBe(false)
    expect(standing.statements.at(-1)?.fault).toBe(fault)
  })

  test('a publication by a person who is no publisher does not count', () => {
    expect(of([statement('thea', 'publish'), statement('ortrud', 'approve')]).missing).toEqual(['the signature of a publisher'])
  })
})

test('a channel statement is trusted only as a publisher signed it, for this library', () => {
  const channels = {
    library: 'lib',
    serial: 3,
    time: '2026-11-29T10:00:00.000Z',
    channels: { a: { live: { edition: 7, digest: DIGEST } } },
    revoked: [],
  }
  const signed = (
    by: keyof typeof keys,
    purpose: 'dunelight-channels-1' | 'dunelight-approval-1' = 'dunelight-channels-1',
    change = {},
  ) => {
    const stated = { ...channels, key: keys[by].id }
    return { channels: { ...stated, ...change }, signature: keys[by].sign(purpose, stated) }
  }
  expect(faultOfChannels(signed('hesper'), 'lib', approvers)).toBeUndefined()
  expect(faultOfChannels(signed('hesper'), 'other', approvers)).toBe('it is about another library')
  expect(faultOfChannels(signed('thea'), 'lib', approvers)).toBe('thea is not a publisher')
  expect(faultOfChannels(signed('hesper', 'dunelight-approval-1'), 'lib', approvers)).toBe('its signature is wrong')
  expect(faultOfChannels(signed('hesper', 'dunelight-channels-1', { serial: 4 }), 'lib', approvers)).toBe('its signature is wrong')
  expect(faultOfChannels({ channels, signature: undefined }, 'lib', approvers)).toBe('no publisher has signed it')
})

test('what is signed does not depend on the order of keys, and every change changes it', () => {
  const { statement: stated } = statement('thea', 'approve')
  const moved = Object.fromEntries(Object.entries(stated).reverse())
  expect(signedBytes('dunelight-approval-1', moved)).toEqual(signedBytes('dunelight-approval-1', { ...stated }))
  fc.assert(
    fc.property(fc.constantFrom(...Object.keys(stated)), fc.string(), (key, value) => {
      const changed = { ...stated, [key]: value }
      const isSame = String(stated[key as keyof Statement]) === value
      const [one, other] = [stated, changed].map((each) => Buffer.from(signedBytes('dunelight-approval-1', { ...each })).toString())
      expect(one === other).toBe(isSame && typeof stated[key as keyof Statement] === 'string')
    }),
  )
})

test('nothing that is no file of its kind is read as one, and nothing throws', () => {
  const anything = fc.oneof(
    fc.json(),
    fc.string(),
    fc.object().map((value) => JSON.stringify(value)),
  )
  fc.assert(
    fc.property(anything, (text) => {
      for (const read of [readEdition, readStatement, readChannels]) expect(typeof read(text)).toBe('string')
    }),
    { numRuns: 500 },
  )
})
