import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from '@jest/globals'
import fc from 'fast-check'
import type { Model } from 'dunelight'
import { AuditLog, openLibrary, verifyAudit } from '@dunelight/node'
import { goesOn } from '../../../../test/house.js'
import { SMALL, useWorkplace } from '../../../../test/repository.js'

const place = useWorkplace({ ...SMALL, 'dunelight.yaml': `${SMALL['dunelight.yaml']}audit: { checkpoints: ../checkpoints.jsonl }\n` })
const model: Model = () => Promise.resolve({ text: 'About a bell.', finish: 'done' })
beforeEach(() => {
  process.env['DUNELIGHT_AUDIT_KEY'] = 'a key of this test alone'
})
afterEach(() => {
  delete process.env['DUNELIGHT_AUDIT_KEY']
})

/** A change of the lines of a file. */
const change = fc.oneof(
  fc.record({ does: fc.constant('cut' as const), at: fc.nat(), count: fc.integer({ min: 1, max: 4 }) }),
  fc.record({ does: fc.constant('swap' as const), at: fc.nat(), with: fc.nat() }),
  fc.record({ does: fc.constant('repeat' as const), at: fc.nat(), to: fc.nat() }),
  fc.record({ does: fc.constant('byte' as const), at: fc.nat(), byte: fc.nat(255) }),
  fc.record({
    does: fc.constant('insert' as const),
    at: fc.nat(),
    text: fc.oneof(
      fc.json(),
      fc.string().filter((text) => !/[\r\n]/.test(text) && text !== ''),
    ),
  }),
)
type Change = typeof change extends fc.Arbitrary<infer T> ? T : never

function changed(before: Buffer, how: Change): Buffer {
  if (how.does === 'byte') {
    const bytes = Buffer.from(before)
    bytes[how.at % bytes.length] = how.byte
    return bytes
  }
  const all = before.toString('utf8').trimEnd().split('\n')
  const at = how.at % all.length
  if (how.does === 'cut') all.splice(at, how.count)
  else if (how.does === 'repeat') all.splice(how.to % all.length, 0, all[at]!)
  else if (how.does === 'insert') all.splice(at, 0, how.text)
  else [all[at], all[how.with % all.length]] = [all[how.with % all.length]!, all[at]!]
  return Buffer.from(all.length === 0 ? '' : `${all.join('\n')}\n`)
}

test(
  'no change of an audit before its last checkpoint is taken for valid',
  async () => {
    const library = await openLibrary(place.folder)
    for (let process = 0; process < 3; process++) {
      const log = AuditLog.of(place.folder, library)!
      library.audit(log.sink)
      for (let i = 0; i < 4; i++) await library.prompt('label').ask({ title: `Bell ${i}` }, { model })
      await log.close()
    }
    const day = readdirSync(place.pathOf('audit')).find((name) => /^\d/.test(name))!
    const file = place.pathOf(`audit/${day}/${readdirSync(place.pathOf(`audit/${day}`))[0]!}`)
    const verify = () => verifyAudit(place.folder, { library: library.id, checkpoints: join(place.folder, '../checkpoints.jsonl') })
    expect((await verify()).problems).toEqual([])
    const before = readFileSync(file)
    const taken: string[] = []
    let done = 0
    while (goesOn(done, 500, 10_000)) {
      for (const how of fc.sample(change, 100)) {
        const after = changed(before, how)
        done++
        if (after.equals(before)) continue
        writeFileSync(file, after)
        const { problems } = await verify()
        if (problems.every(({ severity }) => severity !== 'error')) taken.push(JSON.stringify(how))
      }
    }
    writeFileSync(file, before)
    expect(taken).toEqual([])
  },
  60 * 60_000,
)
