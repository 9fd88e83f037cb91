import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { ProblemError } from 'dunelight'
import { approveEdition, changeChannel, listEditions, openLibraryFor, publishEditions } from '@dunelight/node'
import { Lease } from '@dunelight/node/host'
import { goesOn } from '../../../../test/house.js'
import { useWorkplace } from '../../../../test/repository.js'
import { approversText, makeKey } from '../../../../test/signing.js'

const place = useWorkplace()
const LONG = 60 * 60_000
const keys = { hesper: makeKey(), thea: makeKey() }
const stranger = makeKey()

/** Something else in the place of a value. */
const otherValue = fc.oneof(
  fc.constantFrom<unknown>(
    '',
    'live',
    'approve',
    'publish',
    'revoke',
    0,
    1,
    2,
    1e9,
    null,
    true,
    [],
    {},
    `sha256:${'0'.repeat(64)}`,
    '2036-01-01T00:00:00.000Z',
    stranger.id,
  ),
  fc.string(),
  fc.integer(),
)

test(
  'no altered edition, approval or channel statement is used',
  async () => {
    place.write('approvers.yaml', approversText(keys, 'publishers: [hesper]\nrules: [{ needs: 1 }]'))
    place.commit('Name the approvers')
    await publishEditions(place.folder, ['label'], { key: keys.hesper })
    await approveEdition(place.folder, 'label', 1, keys.thea)
    const change = { does: 'point', channel: 'live', edition: 1 } as const
    await changeChannel(place.folder, 'label', change, { library: '0a1b2c3d4e5f60718293', key: keys.hesper })
    const trust = { digest: (await listEditions(place.folder)).approvers!.digest }
    const open = () => openLibraryFor(place.folder, 'label@live', { approvers: trust })
    await open()
    const paths = [...readdirSync(place.pathOf('editions/label')).map((name) => `editions/label/${name}`), 'editions/channels.json'].filter(
      (path) => path.endsWith('.json'),
    )
    expect(paths).toHaveLength(4)
    const accepted: string[] = []
    let done = 0
    const attempt = fc.tuple(fc.constantFrom(...paths), fc.nat(), fc.nat(255), otherValue, fc.nat(3))
    while (goesOn(done, 200, 10_000)) {
      for (const [path, position, byte, value, way] of fc.sample(attempt, 100)) {
        const before = readFileSync(place.pathOf(path))
        const after = altered(
          before,
          way,
          position,
          byte,
          value,
          path.endsWith('channels.json') ? 'dunelight-channels-1' : 'dunelight-approval-1',
        )
        done++
        // An edition is its bytes; a statement is what it states, however it is written.
        const isSame = path.includes('/1-') && !/publish|approve/.test(path) ? before.equals(after) : sameData(before, after)
        if (isSame) continue
        writeFileSync(place.pathOf(path), after)
        const fault: unknown = await open().catch((thrown: unknown) => thrown)
        if (!(fault instanceof ProblemError))
          accepted.push(`${path}: ${fault instanceof Error ? String(fault.stack) : after.toString('utf8')}`)
        writeFileSync(place.pathOf(path), before)
      }
    }
    expect(accepted).toEqual([])
    await open()
  },
  LONG,
)

/** Changed bytes, a changed value, a missing key, or a statement that another key has signed. */
function altered(
  before: Buffer,
  way: number,
  position: number,
  byte: number,
  value: unknown,
  purpose: 'dunelight-channels-1' | 'dunelight-approval-1',
): Buffer {
  if (way === 0) {
    const bytes = Buffer.from(before)
    bytes[position % bytes.length] = byte
    return bytes
  }
  const data = JSON.parse(before.toString('utf8')) as Record<string, unknown>
  const names = Object.keys(data)
  const name = names[position % names.length]!
  const changed = Object.fromEntries(Object.entries({ ...data, [name]: value }).filter(([key]) => way !== 1 || key !== name))
  const { signature: _, ...statement } = changed
  const signed =
    way === 3 ? { ...statement, key: stranger.id, signature: stranger.sign(purpose, { ...statement, key: stranger.id }) } : changed
  return Buffer.from(`${JSON.stringify(signed, null, 2)}\n`)
}

function sameData(before: Buffer, after: Buffer): boolean {
  try {
    expect(JSON.parse(after.toString('utf8'))).toEqual(JSON.parse(before.toString('utf8')))
    return true
  } catch {
    return false
  }
}

test('a process that is publishing is waited for, and named if it does not end', async () => {
  await publishEditions(place.folder, ['label'])
  const lease = await Lease.take(place.pathOf('editions'))
  if (!(lease instanceof Lease)) throw new Error('the lease is taken')
  const fault: unknown = await publishEditions(place.folder, ['label']).catch((thrown: unknown) => thrown)
  expect(fault instanceof ProblemError && fault.problems[0]).toMatchObject({
    code: 'editions-busy',
    data: { holder: expect.stringContaining(`process ${process.pid} on`) },
  })
  const waiting = publishEditions(place.folder, ['label'])
  await lease.release()
  expect((await waiting).published).toMatchObject([{ isNew: false }])
}, 60_000)
