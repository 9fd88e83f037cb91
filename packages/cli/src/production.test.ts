import { spawnSync } from 'node:child_process'
import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { COMMAND, dunelight } from '../../../test/command.js'
import { useWorkplace } from '../../../test/repository.js'

const place = useWorkplace()
const own = (...words: string[]) => dunelight(words[0]!, place.folder, ...words.slice(1))
const reword = (text: string) => place.write('snippets/style.md', `${text}\n`)
const withPassphrase = (words: readonly string[], passphrase = 'a long passphrase') => {
  process.env['DUNELIGHT_PASSPHRASE'] = passphrase
  try {
    return dunelight(...words)
  } finally {
    process.env['DUNELIGHT_PASSPHRASE'] = ''
  }
}

describe('the commands of production', () => {
  test('publish, move a channel, use it everywhere, go back', () => {
    expect(own('publish', 'label', '--note', 'the first', '--channel', 'live')).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^label@1 {2}editions\/label\/1-[\da-f]{12}\.json\n$/),
      err: 'published edition 1 of label\nlive points at it (channel statement 1)\n',
    })
    reword('Be loud.')
    place.commit('Be loud')
    expect(own('publish', 'label').err).toBe('published edition 2 of label\n')
    expect(own('publish', 'label').err).toBe('label is unchanged: edition 2 is its newest\n')
    const at = (reference: string) => own('render', reference, '--set', 'title=Tide clock').out
    expect(at('label@live')).toContain('Be plain.')
    expect(own('channel', 'label', 'live', '2').err).toContain('label@live is edition 2 (channel statement 2, not signed)')
    expect([at('label@live'), at('label@1'), at('label@git:HEAD~1')]).toEqual([
      expect.stringContaining('Be loud.'),
      expect.stringContaining('Be plain.'),
      expect.stringContaining('Be plain.'),
    ])
    expect(own('channel', 'label', 'live', '1').code).toBe(0)
    // A batch means its prompt; the run knows which edition it used, and is resumed with it.
    const ran = own('ask', 'labels@live', '--model', 'mock', '--to', place.pathOf('out/labels.jsonl'))
    expect([ran.code, ran.err]).toEqual([0, expect.stringContaining('labels@live is edition 1')])
    const [run] = readdirSync(place.pathOf('runs')).filter((name) => name.startsWith('labels'))
    const recorded = JSON.parse(readFileSync(place.pathOf(`runs/${run!}/run.json`), 'utf8')) as { prompt: unknown }
    expect(recorded.prompt).toMatchObject({ at: 'label@1', edition: expect.stringMatching(/^sha256:/) })
    const listed = own('editions', 'label')
    expect(listed.out).toMatch(/label@2 .*100% of the texts differ\nlabel@1 .*live .*the first\n/)
    expect(listed.err).toContain('the channels are not signed')
    expect(own('show', 'label@3').err).toContain('"label" has no edition 3 [edition-unknown]\n  help: the newest edition is 2')
    expect(own('show', 'label@lvie').err).toContain('[channel-unknown]\n  help: did you mean "live"?')
    expect(own('editions', 'lable').err).toContain('did you mean "label"?')
  }, 60_000)

  test('compare two wordings by what models answer, check what a reply would be read as', () => {
    own('publish', 'label')
    reword('Be loud.')
    const compared = own('compare', 'label', '--other', 'label@1', '--records', place.pathOf('data/objects.csv'), '--model', 'mock')
    expect([compared.code, compared.out]).toEqual([0, expect.stringContaining('label@1')])
    for (const command of ['show', 'schema']) expect([command, own(command, 'label@1').code]).toEqual([command, 0])
  })

  test('the difference of two wordings: its files, its records, as a page', () => {
    place.write('prompts/label.yaml', readFileSync(place.pathOf('prompts/label.yaml'), 'utf8').replace('Write about', 'Sing of'))
    const shown = own('diff', 'label')
    expect(shown.out).toContain('-      Write about {title}.\n+      Sing of {title}.')
    expect(shown.out).toMatch(/^label@git:[\da-f]{12} → working files\n/)
    expect(shown.out).toMatch(/3 of 3 differ \(.*data\/objects.csv\)\n\n1 and 2 more in the same words · user\nBe plain.\n\[-Write-\]/)
    const page = place.pathOf('diff.html')
    expect(own('diff', 'label', 'git:HEAD', '--to', page).code).toBe(0)
    expect(readFileSync(page, 'utf8')).toContain('<del>')
    const json = JSON.parse(own('diff', 'label', '--json').out) as { isSame: boolean; rendered: { changed: number } }
    expect([json.isSame, json.rendered.changed]).toEqual([false, 3])
    expect(own('diff', 'label', '--to', place.pathOf('diff.pdf')).code).toBe(2)
    expect(own('diff', 'label@git:HEAD', 'git:HEAD').err).toContain('has a wording already')
  })

  test('history, with the library left out', () => {
    const ran = spawnSync(process.execPath, [join(process.cwd(), COMMAND), 'history', 'label'], {
      cwd: place.pathOf('prompts'),
      encoding: 'utf8',
    })
    expect([ran.status, ran.stdout]).toEqual([
      0,
      expect.stringMatching(/^\d{4}-\d\d-\d\d {2}[\da-f]{10} {2}Hesper Dace {2}Begin {2}added\n$/),
    ])
    const all = JSON.parse(own('history', '--json').out) as { entries: { changes: { name: string }[] }[] }
    expect(all.entries[0]?.changes[0]?.name).toBe('label')
  })

  test('a full disk leaves no half edition, and says which file', () => {
    reword('Be long. '.repeat(3000))
    place.commit('Be long')
    const words = [process.execPath, COMMAND, 'publish', place.folder, 'label'].map((word) => `'${word}'`).join(' ')
    const ran = spawnSync('bash', ['-c', `trap '' XFSZ; ulimit -f 20; exec ${words}`], { encoding: 'utf8' })
    expect([ran.status === 0, ran.stderr]).toEqual([false, expect.stringContaining('cannot write editions/label/1-')])
    expect(readdirSync(place.pathOf('editions/label'))).toEqual([])
    expect(own('publish', 'label').code).toBe(0)
  })
})

describe('approving', () => {
  test('a key, approvers, an edition, two signatures: then it is approved', () => {
    const keyOf = (name: string) => join(place.folder, '..', `${name}.pem`)
    const publicOf = (name: string) => withPassphrase(['key', '--to', keyOf(name)]).out
    const people = ['hesper', 'thea'].map((name) => `  ${name}: |\n${publicOf(name).trimEnd().replaceAll(/^/gm, '    ')}\n`)
    expect(statSync(keyOf('thea')).mode & 0o777).toBe(0o600)
    place.write('approvers.yaml', `people:\n${people.join('')}publishers: [hesper]\nrules: [{ needs: 1 }]\n`)
    expect(own('publish', 'label', '--uncommitted').err).toContain('label@1: not signed; publish again with --signing-key')
    expect(own('publish', 'label', '--signing-key', keyOf('hesper')).err).toContain('a passphrase is needed, and there is no terminal')
    expect(withPassphrase(['publish', place.folder, 'label', '--signing-key', keyOf('hesper')], 'wrong').err).toContain(
      'the passphrase is wrong',
    )
    expect(withPassphrase(['publish', place.folder, 'label', '--channel', 'live', '--signing-key', keyOf('hesper')]).code).toBe(0)
    const digest = /--approvers-digest (sha256:[\da-f]{64})/.exec(own('editions').err)![1]!
    const trusted = () => own('render', 'label@live', '--set', 'title=Tide clock', '--approvers-digest', digest)
    expect([trusted().code, trusted().err]).toEqual([1, expect.stringContaining('[edition-unapproved]')])
    expect(own('approve', 'label@1', '--signing-key', keyOf('thea')).err).toContain('there is no terminal to answer at')
    expect(own('approve', 'label@live', '--signing-key', keyOf('thea')).err).toContain('"label@live" is not an edition')
    const approved = withPassphrase(['approve', place.folder, 'label@1', '--signing-key', keyOf('thea'), '--yes'])
    expect([approved.code, approved.err, approved.out]).toEqual([
      0,
      'approved label@1; it is approved now\n',
      expect.stringContaining('snippets/style.md\nBe plain.'),
    ])
    expect([trusted().code, trusted().out]).toEqual([0, expect.stringContaining('Be plain.')])
    // The environment names the approvers for every command.
    process.env['DUNELIGHT_APPROVERS_DIGEST'] = `sha256:${'0'.repeat(64)}`
    expect(own('show', 'label@1').err).toContain('[approvers-invalid]')
    delete process.env['DUNELIGHT_APPROVERS_DIGEST']
    expect(own('editions', '--verify', '--approvers-digest', digest)).toMatchObject({
      code: 0,
      err: '1 verified: files, digests, fingerprints, signatures\n',
      out: expect.stringContaining('approved by thea'),
    })
    reword('Be loud.')
    expect(withPassphrase(['publish', place.folder, 'label', '--uncommitted', '--signing-key', keyOf('hesper')]).code).toBe(0)
    const shown = withPassphrase(['approve', place.folder, 'label@2', '--signing-key', keyOf('thea'), '--yes'])
    expect(shown.out).toContain('label@1 → label@2\n\nsnippets/style.md: changed')
    mkdirSync(place.pathOf('other'))
    writeFileSync(place.pathOf('other/no-key.pem'), 'hello')
    expect(own('approve', 'label@2', '--yes', '--signing-key', place.pathOf('other/no-key.pem')).err).toContain('it is not a private key')
  }, 60_000)
})

describe('the audit', () => {
  test('of what a command asked: who, what, and whether all lines are there', () => {
    place.write('dunelight.yaml', `title: A small museum\nid: 0a1b2c3d4e5f60718293\naudit: { checkpoints: ../checkpoints.jsonl }\n`)
    const asking = ['ask', 'labels', '--model', 'mock', '--to', place.pathOf('out/labels.jsonl')]
    expect(own(...asking)).toMatchObject({ code: 1, err: expect.stringContaining('[audit-key-missing]') })
    expect(own('runs').out).toBe('')
    process.env['DUNELIGHT_AUDIT_KEY'] = 'a key of this test alone'
    try {
      expect(own(...asking, '--overwrite').code).toBe(0)
      expect(own('run', 'labels', '--to', place.pathOf('out/prompts.jsonl')).code).toBe(0)
      const shown = own('audit', '--prompt', 'label')
      expect(shown.out.match(/ask {2}label {2}mock {2}1 request/g)).toHaveLength(3)
      expect(shown.out).toMatch(/run {2}label .*begun .*labels-\d\n/)
      expect(shown.err).toMatch(/^\d+ lines · 1 caller · 3 requests · /)
      expect(own('audit', '--caller', 'barnaby').err).toBe('the audit has no such line\n')
      expect(own('audit', '--since', 'yesterday').err).toContain('"yesterday" is not a time')
      const verify = () => own('audit', '--verify', '--checkpoints', join(place.folder, '../checkpoints.jsonl'))
      expect(verify()).toMatchObject({ code: 0, out: expect.stringMatching(/^valid · \d+ lines · 1 writer · \d checkpoints\n$/) })
      const day = readdirSync(place.pathOf('audit')).find((name) => /^\d/.test(name))!
      const file = `audit/${day}/${readdirSync(place.pathOf(`audit/${day}`)).find((name) => name.endsWith('.jsonl'))!}`
      place.write(file, readFileSync(place.pathOf(file), 'utf8').replace('"requests":1', '"requests":0'))
      expect(verify()).toMatchObject({
        code: 1,
        out: expect.stringContaining('not valid'),
        err: expect.stringContaining('[audit-line-altered]'),
      })
      expect(own('audit', '--prune').err).toContain('names no retention time')
    } finally {
      delete process.env['DUNELIGHT_AUDIT_KEY']
    }
  })
})
