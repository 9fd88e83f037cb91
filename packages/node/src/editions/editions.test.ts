import { existsSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeEach, describe, expect, test } from '@jest/globals'
import { ProblemError } from 'dunelight'
import { readEdition, type Channels } from 'dunelight/editions'
import {
  approveEdition,
  changeChannel,
  listEditions,
  makeSigningKey,
  openLibraryFor,
  publishEditions,
  readSigningKey,
  renumberEditions,
  wordingOf,
  type ApproverOptions,
} from '@dunelight/node'
import { gitIn, SMALL, useWorkplace } from '../../../../test/repository.js'
import { approversText, makeKey } from '../../../../test/signing.js'

const place = useWorkplace()
const LIBRARY = '0a1b2c3d4e5f60718293'
const keys = { hesper: makeKey(), ortrud: makeKey(), thea: makeKey() }
const RULES = 'publishers: [hesper]\nrules: [{ needs: 1 }]'

/** The files of the prompt's editions, or those with an ending. */
const filesOf = (ending = /^\d+-\w+\.json$/) =>
  readdirSync(place.pathOf('editions/label'))
    .filter((name) => ending.test(name))
    .map((name) => place.pathOf(`editions/label/${name}`))
const publish = (options = {}) => publishEditions(place.folder, ['label'], { uncommitted: true, ...options })
const reword = (text: string) => place.write('snippets/style.md', `${text}\n`)
const point = (edition: number, options = {}) =>
  changeChannel(place.folder, 'label', { does: 'point', channel: 'live', edition }, { library: LIBRARY, ...options })

async function text(reference: string, approvers?: ApproverOptions): Promise<string> {
  const library = await openLibraryFor(place.folder, reference, approvers ? { approvers } : {})
  return library.prompt('label').render({ title: 'Tide clock' }).turns[0]?.text ?? ''
}

async function refused(run: Promise<unknown>): Promise<string> {
  const fault: unknown = await run.then(
    () => 'nothing was refused',
    (thrown: unknown) => thrown,
  )
  if (fault instanceof ProblemError)
    return fault.problems.map(({ code, message, hint }) => `${code}: ${message} (${hint ?? ''})`).join('\n')
  return String(fault)
}

describe('publishing', () => {
  test('makes an edition that renders the same for ever, whatever the files become', async () => {
    const { published } = await publish({ note: 'the first' })
    expect(published).toMatchObject([{ name: 'label', number: 1, isNew: true, isSigned: false }])
    const before = await text('label@1')
    reword('Be loud.')
    place.write('prompts/label.yaml', SMALL['prompts/label.yaml'].replace('Write about', 'Sing of'))
    expect(await text('label@1')).toBe(before)
    rmSync(place.pathOf('snippets/style.md'))
    rmSync(place.pathOf('prompts/label.yaml'))
    expect(await text('label@1')).toBe(before)
    expect(wordingOf(await openLibraryFor(place.folder, 'label@1'))).toMatchObject({ pinned: 'label@1', edition: { number: 1 } })
  })

  test('an unchanged wording makes none, an older one says so, and comments make no difference', async () => {
    await publish()
    place.write('prompts/label.yaml', `# A comment\n${SMALL['prompts/label.yaml']}`)
    expect((await publish()).published).toMatchObject([{ number: 1, isNew: false }])
    reword('Be loud.')
    expect((await publish()).published).toMatchObject([{ number: 2, isNew: true, sameAs: undefined }])
    reword('Be plain.')
    expect((await publish()).published).toMatchObject([{ number: 3, isNew: true, sameAs: 1 }])
  })

  test('names the commit, and files that are not in it only if that is allowed', async () => {
    reword('Be loud.')
    expect(await refused(publish({ uncommitted: false }))).toContain('publish-uncommitted: not committed: snippets/style.md')
    expect(existsSync(place.pathOf('editions'))).toBe(false)
    await publish()
    place.commit('Be loud')
    place.write('prompts/label.yaml', SMALL['prompts/label.yaml'].replace('Write about', 'Sing of'))
    place.commit('Sing')
    await publish({ uncommitted: false })
    const [first, second] = filesOf().map((path) => readEdition(readFileSync(path, 'utf8')))
    expect(first).toMatchObject({ edition: 1, uncommitted: ['snippets/style.md'] })
    expect(second).toMatchObject({ edition: 2, commit: place.git('rev-parse', 'HEAD').trim() })
    expect(second).not.toHaveProperty('uncommitted')
  })

  test('refuses errors, a secret, a library without an id, and a bad channel: nothing is written then', async () => {
    expect(await refused(publish({ channel: '7' }))).toContain('reference-invalid')
    place.write('prompts/bad.yaml', 'title: Bad\nturns: [{ user: "{nothing}" }]\n')
    expect(await refused(publish())).toContain('publish-errors: the library has an error')
    rmSync(place.pathOf('prompts/bad.yaml'))
    process.env['DUNELIGHT_TEST_KEY'] = 'tide-table-4711-brass'
    place.write(
      'models.yaml',
      'models:\n  post: { url: http://127.0.0.1:9/x, headers: { x-pass: "{env.DUNELIGHT_TEST_KEY}" }, envelope: post, answer: /said }\n',
    )
    place.write('envelopes/post.yaml', 'title: Post\nline: { turns: "{turns}" }\n')
    reword('The key is tide-table-4711-brass.')
    expect(await refused(publish())).toContain('edition-secret: snippets/style.md contains a secret')
    delete process.env['DUNELIGHT_TEST_KEY']
    place.write('dunelight.yaml', 'title: A small museum\n')
    for (const path of ['models.yaml', 'envelopes']) rmSync(place.pathOf(path), { recursive: true })
    expect(await refused(publish())).toContain('id-missing: dunelight.yaml has no "id" (add the line: id: ')
    expect(existsSync(place.pathOf('editions/label'))).toBe(false)
  })

  test('keeps large and binary files beside, once, and refuses an edition whose file is gone or altered', async () => {
    place.write('data/plan.pdf', Buffer.from('%PDF-1.4\n\u0000\u0001'))
    place.write('data/long.txt', 'x'.repeat(70_000))
    place.write(
      'prompts/label.yaml',
      SMALL['prompts/label.yaml'].replace('  - user: |', '  - attach: [../data/plan.pdf, ../data/long.txt]\n    user: |'),
    )
    await publish()
    reword('Be loud.')
    await publish()
    const objects = readdirSync(place.pathOf('editions/objects'))
    expect(objects).toHaveLength(2)
    const library = await openLibraryFor(place.folder, 'label@1')
    const parts = library.prompt('label').render({ title: 'Tide clock' }).turns[0]?.parts ?? []
    expect(parts.filter((part) => part.kind === 'file' || part.text.length > 60_000)).toHaveLength(2)
    writeFileSync(place.pathOf(`editions/objects/${objects[0]!}`), 'other')
    expect(await refused(text('label@1'))).toContain('does not fit its digest')
    rmSync(place.pathOf(`editions/objects/${objects[0]!}`))
    expect(await refused(text('label@1'))).toContain('is missing')
  })

  test('an edition without a word of the library opens in an empty folder: its screens apply, and those of the library too', async () => {
    place.write(
      'dunelight.yaml',
      `${SMALL['dunelight.yaml']}screens:\n  - { name: old, applies-to: request, finds: words, words: [old], action: reject }\n`,
    )
    await publish()
    place.write(
      'dunelight.yaml',
      `${SMALL['dunelight.yaml']}screens:\n  - { name: new, applies-to: request, finds: words, words: [new], action: reject }\n`,
    )
    const library = await openLibraryFor(place.folder, 'label@1')
    expect(library.artefacts.library.screens.map(({ name }) => name)).toEqual(['old', 'new'])
    expect((await publish()).published).toMatchObject([{ number: 2, isNew: true }])
  })
})

test('a name that leads out of the folder has no editions', async () => {
  await publish()
  for (const name of ['../editions/label', 'label/', './label', ''])
    expect((await listEditions(place.folder, { names: [name] })).editions).toEqual([])
})

describe('two at once', () => {
  test('publish one number each: ten at a time lose nothing', async () => {
    const all = await Promise.all(
      Array.from({ length: 10 }, (_, i) =>
        publishEditions(place.folder, [i % 2 === 0 ? 'label' : 'label'], { uncommitted: true, channel: `c${i}` }),
      ),
    )
    expect(all.filter(({ published }) => published[0]?.isNew)).toHaveLength(1)
    const channels = JSON.parse(readFileSync(place.pathOf('editions/channels.json'), 'utf8')) as Channels
    expect(channels.serial).toBe(10)
    expect(Object.keys(channels.channels['label'] ?? {})).toHaveLength(10)
  })

  test('one number on two branches is named, and renumbered: the one that a channel points at stays', async () => {
    await publish()
    place.commit('Publish')
    place.git('checkout', '-qb', 'side')
    reword('Be loud.')
    await publish()
    place.commit('Publish on the side')
    place.git('checkout', '-q', 'main')
    reword('Be quiet.')
    await publish({ channel: 'live' })
    place.commit('Publish here')
    place.git('merge', '-q', '-X', 'ours', '-m', 'Merge', 'side')
    expect(await refused(text('label@2'))).toContain('edition-twice: two editions of "label" have the number 2')
    expect(await text('label@live')).toContain('Be quiet.')
    expect(await renumberEditions(place.folder, ['label'])).toEqual([{ name: 'label', from: 2, to: 3 }])
    expect([await text('label@2'), await text('label@3')]).toEqual([
      expect.stringContaining('Be quiet.'),
      expect.stringContaining('Be loud.'),
    ])
  })
})

describe('what was altered', () => {
  beforeEach(async () => {
    await publish()
    reword('Be loud.')
    await publish({ channel: 'live' })
  })

  test.each<[string, (path: string, other: string) => void, string]>([
    ['a word in its text', (path) => replace(path, 'Be plain.', 'Be rude.'), 'its content does not fit its name'],
    ['a space at its end', (path) => writeFileSync(path, `${readFileSync(path, 'utf8')} `), 'its content does not fit its name'],
    ['its name, to that of another edition', (path, other) => renameSync(path, other), 'its content does not fit its name'],
    ['its number in the name', (path) => renameSync(path, path.replace('/1-', '/9-')), 'it is edition 1'],
  ])('%s: the edition is refused, and the others are not', async (_, alter, why) => {
    const [first, second] = filesOf()
    alter(first!, second!)
    const { problems } = await listEditions(place.folder)
    expect(problems.map(({ code, message }) => `${code} ${message}`).join('\n')).toContain(why)
    expect(await refused(text(why.startsWith('it is') ? 'label@9' : 'label@1'))).not.toContain('nothing was refused')
  })

  test('an edition that a channel points at, replaced by another one with its number, is refused', async () => {
    const [, second] = filesOf()
    const edition = JSON.parse(readFileSync(second!, 'utf8')) as object
    const other = `${JSON.stringify({ ...edition, note: 'harmless' }, null, 2)}\n`
    const { createHash } = await import('node:crypto')
    rmSync(second!)
    writeFileSync(second!.replace(/2-\w+/, `2-${createHash('sha256').update(other).digest('hex').slice(0, 12)}`), other)
    expect(await refused(text('label@live'))).toContain('it is another one than the channel points at')
  })

  test('one whose texts do not make its fingerprint is refused', async () => {
    const [first] = filesOf()
    const edition = JSON.parse(readFileSync(first!, 'utf8')) as Record<string, unknown>
    const { createHash } = await import('node:crypto')
    const other = `${JSON.stringify({ ...edition, fingerprint: `sha256:${'1'.repeat(64)}` }, null, 2)}\n`
    rmSync(first!)
    writeFileSync(first!.replace(/1-\w+/, `1-${createHash('sha256').update(other).digest('hex').slice(0, 12)}`), other)
    expect(await refused(text('label@1'))).toContain('edition-altered')
    const { problems } = await listEditions(place.folder, { verify: true })
    expect(problems.map(({ code }) => code)).toContain('edition-altered')
  })
})

describe('approvals', () => {
  let trust: ApproverOptions
  const approve = (edition: number, who: keyof typeof keys = 'thea', action: 'approve' | 'revoke' = 'approve') =>
    approveEdition(place.folder, 'label', edition, keys[who], { action })

  beforeEach(async () => {
    place.write('approvers.yaml', approversText(keys, RULES))
    place.commit('Name the approvers')
    trust = { digest: (await listEditions(place.folder)).approvers!.digest }
    await publish({ key: keys.hesper })
  })

  test('are needed as soon as approvers are named, and only then', async () => {
    expect(await text('label@1')).toContain('Be plain.')
    expect(await refused(text('label@1', trust))).toContain('edition-unapproved: edition 1 of "label" is not approved: 0 of 1 approvals')
    for (const other of ['label', 'label@git:HEAD'])
      expect(await refused(text(other, trust))).toContain('edition-required: approvers are named, and ')
    await approve(1)
    expect(await text('label@1', trust)).toContain('Be plain.')
    await approve(1, 'thea', 'revoke')
    expect(await refused(text('label@1', trust))).toContain('edition-revoked: edition 1 of "label" was revoked by thea')
  })

  test('no signature is made that would not count', async () => {
    expect(await refused(approve(1, 'hesper'))).toContain('signature-useless: the signature would not count: who publishes')
    reword('Be loud.')
    expect(await refused(publish({ key: keys.thea }))).toContain(
      'signature-useless: the signature would not count: thea is not a publisher',
    )
    expect(await refused(point(1, { key: keys.thea }))).toContain('thea is not a publisher')
    const other = makeKey()
    expect(await refused(approveEdition(place.folder, 'label', 1, other))).toContain('key-unlisted: approvers.yaml does not list your key')
    rmSync(place.pathOf('approvers.yaml'))
    expect(await refused(approveEdition(place.folder, 'label', 1, other))).toContain('the library has no approvers.yaml')
    expect(filesOf(/approve|revoke/)).toEqual([])
  })

  test('the file of approvers is trusted by its digest, or as it lies elsewhere', async () => {
    await approve(1)
    const own = place.pathOf('approvers.yaml')
    expect(await refused(text('label@1', { file: own }))).toContain('approvers-unpinned')
    expect(await refused(text('label@1', { digest: `sha256:${'0'.repeat(64)}` }))).toContain(
      'approvers-invalid: approvers.yaml: its digest is',
    )
    const elsewhere = `${place.folder}-approvers.yaml`
    writeFileSync(elsewhere, readFileSync(own))
    expect(await text('label@1', { file: elsewhere })).toContain('Be plain.')
    writeFileSync(elsewhere, `library: ${'9'.repeat(20)}\n${readFileSync(own, 'utf8')}`)
    expect(await refused(text('label@1', { file: elsewhere }))).toContain('it is about the library')
    expect(await refused(text('label@1', { file: `${elsewhere}.no` }))).toContain('file-unreadable')
  })

  test('an approval that was copied from another edition, prompt or library does not count', async () => {
    await approve(1)
    reword('Be loud.')
    await publish({ key: keys.hesper })
    const [second] = filesOf(/^2-\w+\.json$/)
    const [approval] = filesOf(/^1-\w+\.approve/)
    writeFileSync(second!.replace(/\.json$/, approval!.replace(/^.*?(\.approve.*)$/, '$1')), readFileSync(approval!))
    expect(await refused(text('label@2', trust))).toContain('edition-unapproved')
    const { problems } = await listEditions(place.folder, { approvers: trust })
    expect(problems.map(({ code, message }) => `${code} ${message}`).join()).toContain('it is about another edition')
    expect(problems.map(({ code }) => code)).toContain('statement-invalid')
    // A library of its own with the same approvers takes the whole folder.
    place.write('dunelight.yaml', `title: Another\nid: ${'7'.repeat(20)}\n`)
    expect(await refused(text('label@1', trust))).toContain('it belongs to another library')
  })

  test('a channel needs a publisher, and an older statement is refused once a newer one was seen', async () => {
    await approve(1)
    reword('Be loud.')
    await publish({ key: keys.hesper })
    await approve(2)
    await point(1)
    expect(await refused(text('label@live', trust))).toContain('channels-invalid: editions/channels.json: no publisher has signed it')
    await point(1, { key: keys.hesper })
    expect(await text('label@live', trust)).toContain('Be plain.')
    const older = readFileSync(place.pathOf('editions/channels.json'))
    await point(2, { key: keys.hesper })
    expect(await text('label@live', trust)).toContain('Be loud.')
    writeFileSync(place.pathOf('editions/channels.json'), older)
    expect(await refused(text('label@live', trust))).toContain(
      'channels-rolled-back: the channel statement has the serial 2, but 3 was seen before',
    )
    // Where nothing was seen, it is the newest that is known.
    process.env['DUNELIGHT_STATE'] = place.pathOf('dunelight.yaml')
    expect(await refused(text('label@live', trust))).toContain('cannot write')
    process.env['DUNELIGHT_STATE'] = `${place.folder}-other-state`
    expect(await text('label@live', trust)).toContain('Be plain.')
  })

  test('a channel statement revokes an edition for all, and one that has expired is named', async () => {
    await point(1, { expires: new Date(Date.now() - 1000) })
    expect((await openLibraryFor(place.folder, 'label@live')).problems.map(({ code }) => code)).toContain('channels-expired')
    expect((await openLibraryFor(place.folder, 'label@1')).problems.map(({ code }) => code)).not.toContain('channels-expired')
    await changeChannel(place.folder, 'label', { does: 'revoke', edition: 1 }, { library: LIBRARY, expires: new Date(Date.now() - 1000) })
    expect(await refused(text('label@1'))).toContain('edition-revoked: edition 1 of "label" was revoked by editions/channels.json')
    expect(await refused(point(1))).toContain('edition-revoked')
    const { problems } = await listEditions(place.folder)
    expect(problems.map(({ code }) => code)).toContain('channels-expired')
  })

  test('a copy on another machine, by Git, is as good: no line end changes', async () => {
    await approve(1)
    place.commit('Publish')
    const clone = `${place.folder}-clone`
    gitIn(place.folder, '-c', 'core.autocrlf=true', 'clone', '-q', place.folder, clone)
    const library = await openLibraryFor(clone, 'label@1', { approvers: trust })
    expect(library.prompt('label').render({ title: 'Tide clock' }).turns[0]?.text).toContain('Be plain.')
  })
})

describe('keys', () => {
  test('are written once, for their owner alone, encrypted, and never into a library', async () => {
    const path = join(place.folder, '..', 'keys/thea.pem')
    const { id } = await makeSigningKey(path, 'a long passphrase')
    expect(readFileSync(path, 'utf8')).toContain('BEGIN ENCRYPTED PRIVATE KEY')
    expect((await import('node:fs')).statSync(path).mode & 0o777).toBe(0o600)
    expect((await readSigningKey(path, () => Promise.resolve('a long passphrase'))).id).toBe(id)
    expect(await refused(readSigningKey(path, () => Promise.resolve('wrong')))).toContain('the passphrase is wrong')
    expect(await refused(makeSigningKey(path, 'a long passphrase'))).toContain('key-unusable')
    expect(await refused(makeSigningKey(place.pathOf('me.pem'), 'a long passphrase'))).toContain('it would lie in a library')
    expect(await refused(makeSigningKey(`${path}.other`, 'short'))).toContain('at least 8 characters')
  })
})

function replace(path: string, before: string, after: string): void {
  writeFileSync(path, readFileSync(path, 'utf8').replace(before, after))
}
