import { existsSync, mkdirSync, mkdtempSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { ProblemError } from 'dunelight'
import { openLibraryFor, publishEditions, wordingDiff, wordingHistory, wordingOf, type History } from '@dunelight/node'
import { gitIn, useWorkplace } from '../../../../test/repository.js'

const place = useWorkplace()

/** The subjects of the commits, with what they changed. */
function told({ entries }: History): string[] {
  return entries.map(({ commit, changes }) => {
    const words = changes.map(({ does, name, before, by, editions }) =>
      [does, name, before && `(${before})`, ...by, ...editions.map((number) => `#${number}`)].filter(Boolean).join(' '),
    )
    return `${commit?.subject ?? '-'}: ${words.join('; ')}`
  })
}

async function codeOf(run: Promise<unknown>): Promise<string> {
  const fault: unknown = await run.catch((thrown: unknown) => thrown)
  return fault instanceof ProblemError
    ? fault.problems.map(({ code, message, hint }) => `${code}: ${message} ${hint ?? ''}`).join('\n')
    : `no problem: ${String(fault)}`
}

describe('the history of a wording', () => {
  test('has the commits that changed it, and what changed it; comments, moved keys and other files are none', async () => {
    const prompt = 'title: A label\ntags: [print]\nvariables: { title: text, note: { type: text, optional: true } }\n'
    place.write('snippets/style.md', 'Be plain and short.\n')
    place.commit('Shorten the style')
    place.write('dunelight.yaml', 'title: Another title\nid: 0a1b2c3d4e5f60718293\n')
    place.write('prompts/label.yaml', `# A comment\n${prompt}turns:\n  - user: |\n      ~ use style\n      Write about {title}.\n`)
    place.write('README.md', 'A museum')
    place.commit('Say what this is')
    place.write('dunelight.yaml', 'title: A small museum\nid: 0a1b2c3d4e5f60718293\n')
    place.write('prompts/label.yaml', `${prompt}turns:\n  - user: |\n      ~ use style\n      Write a label for {title}.\n`)
    place.commit('Ask for a label')
    await publishEditions(place.folder, ['label'])
    place.write('prompts/other.yaml', 'title: Other\nturns: [{ user: Hello. }]\n')
    expect(told(await wordingHistory(place.folder, 'label'))).toEqual([
      'Ask for a label: changed label its own file #1',
      'Shorten the style: changed label snippet style',
      'Begin: added label',
    ])
    expect(told(await wordingHistory(place.folder))[0]).toBe('-: added other')
    expect(await codeOf(wordingHistory(place.folder, 'lable'))).toContain('prompt-unknown: unknown prompt "lable" did you mean "label"?')
  })

  test('the order of fields is a change where they come out in writing, and only there', async () => {
    const withFields = (fields: string, text: string) =>
      `title: T\nvariables:\n  item: { type: record, fields: { ${fields} } }\nturns: [{ user: "${text}" }]\n`
    place.write('prompts/whole.yaml', withFields('a: text, b: text', '{item as yaml}'))
    place.write('prompts/part.yaml', withFields('a: text, b: text', '{item.a}'))
    place.commit('Add two')
    place.write('prompts/whole.yaml', withFields('b: text, a: text', '{item as yaml}'))
    place.write('prompts/part.yaml', withFields('b: text, a: text', '{item.a}'))
    place.commit('Turn the fields round')
    expect(told(await wordingHistory(place.folder))[0]).toBe('Turn the fields round: changed whole its own file')
  })

  test('follows renames, names a file that cannot be read, and what is gone', async () => {
    mkdirSync(place.pathOf('prompts/old'))
    renameSync(place.pathOf('prompts/label.yaml'), place.pathOf('prompts/old/card.yaml'))
    place.write('batches/labels.yaml', 'title: Labels\nprompt: old/card\nrecords: { from: ../data/objects.csv }\n')
    place.commit('Rename it')
    place.write('prompts/old/card.yaml', 'title: [A label\n')
    place.commit('Break it')
    rmSync(place.pathOf('prompts/old/card.yaml'))
    place.commit('Remove it')
    expect(told(await wordingHistory(place.folder, 'old/card'))).toEqual([
      'Remove it: removed old/card',
      'Break it: broken old/card',
      'Rename it: renamed old/card (label)',
      'Begin: added label',
    ])
  })

  test('has a merge as one entry, and what the working files change before all', async () => {
    place.git('checkout', '-qb', 'side')
    place.write('snippets/style.md', 'Be kind.\n')
    place.commit('Be kind')
    place.git('checkout', '-q', 'main')
    place.write('prompts/more.yaml', 'title: More\nturns: [{ user: More. }]\n')
    place.commit('Add another prompt')
    place.git('merge', '-q', '--no-ff', '-m', 'Merge the side', 'side')
    place.write('snippets/style.md', 'Be brief.\n')
    expect(told(await wordingHistory(place.folder, 'label'))).toEqual([
      '-: changed label snippet style',
      'Merge the side: changed label snippet style',
      'Begin: added label',
    ])
  })

  test('is the same from its cache, from a folder within a repository, and with other line ends', async () => {
    const nested = place.pathOf('teams/museum')
    for (const path of ['prompts', 'snippets', 'dunelight.yaml', 'data', 'batches']) {
      mkdirSync(nested, { recursive: true })
      renameSync(place.pathOf(path), join(nested, path))
    }
    place.commit('Move it into a folder')
    place.write('teams/museum/snippets/style.md', 'Be plain.\r\nBe short.\r\n')
    place.git('config', 'core.autocrlf', 'true')
    place.commit('Write another line')
    const first = await wordingHistory(nested)
    expect(told(first)).toEqual(['Write another line: changed label snippet style', 'Move it into a folder: added label'])
    expect(await wordingHistory(nested)).toEqual(first)
  })

  test('ends where a shallow clone ends, and says so', async () => {
    place.write('snippets/style.md', 'Be kind.\n')
    place.commit('Be kind')
    const clone = `${place.folder}-clone`
    gitIn(place.folder, 'clone', '-q', '--depth', '1', `file://${place.folder}`, clone)
    const history = await wordingHistory(clone)
    expect(told(history)).toEqual(['Be kind: added label'])
    expect(history.problems.map(({ code, hint }) => [code, hint])).toEqual([
      ['history-shallow', 'git fetch --unshallow brings the older commits'],
    ])
    expect(await codeOf(wordingDiff(clone, 'label@git:HEAD~1', 'label'))).toContain('git fetch --unshallow')
  })

  test('without a repository, without a commit, without Git', async () => {
    const alone = mkdtempSync(join(tmpdir(), 'dunelight-alone-'))
    mkdirSync(join(alone, 'prompts'))
    writeFileSync(join(alone, 'prompts/a.yaml'), 'title: A\nturns: [{ user: Hello. }]\n')
    expect(await codeOf(wordingHistory(alone))).toContain('it is in no Git repository git init makes one')
    gitIn(alone, 'init', '-q')
    expect(told(await wordingHistory(alone))).toEqual(['-: added a'])
    expect(await codeOf(wordingDiff(alone, 'a@git:HEAD', 'a'))).toContain('revision-unknown')
    const path = process.env['PATH']
    process.env['PATH'] = alone
    try {
      expect(await codeOf(wordingHistory(alone))).toContain('git-unusable: cannot read the history of')
      expect(await codeOf(wordingHistory(alone))).toContain('Git is not installed')
    } finally {
      process.env['PATH'] = path
      rmSync(alone, { recursive: true, force: true })
    }
  })
})

describe('a wording of another commit', () => {
  test('is opened by any revision, with the batches of today', async () => {
    place.write('prompts/label.yaml', 'title: A label\nvariables: { title: text }\nturns: [{ user: "Describe {title}." }]\n')
    place.commit('Describe')
    const render = async (at: string) => {
      const library = await openLibraryFor(place.folder, at)
      return library.prompt('label').render({ title: 'Tide clock' }).turns[0]?.text
    }
    expect(await render('label@git:HEAD~1')).toContain('Be plain.\nWrite about Tide clock.')
    expect(await render('label@git:main^{/Begin}')).toContain('Write about')
    expect(await render('label@git:HEAD')).toContain('Describe Tide clock.')
    const library = await openLibraryFor(place.folder, 'label@git:HEAD~1')
    expect([...library.artefacts.batches.keys()]).toEqual(['labels'])
    expect(wordingOf(library)?.pinned).toBe(`label@git:${place.git('rev-parse', 'HEAD~1').trim()}`)
    expect(await codeOf(openLibraryFor(place.folder, 'more@git:HEAD'))).toContain('revision-without: there is no "more" at HEAD')
  })

  test('differs from another one in its files, and in the texts of records', async () => {
    place.write(
      'prompts/label.yaml',
      'title: A label\nvariables: { title: text }\nturns:\n  - user: |\n      ~ use style\n      Write about {title}.{when title is "Tide clock"} Slowly.{end}\n',
    )
    const difference = await wordingDiff(place.folder, 'label@git:HEAD', 'label')
    expect(difference.files.map(({ path, does }) => [path, does])).toEqual([['prompts/label.yaml', 'changed']])
    expect(difference.files[0]?.patch).toContain('+      Write about {title}.{when')
    expect(difference.rendered).toMatchObject({ records: 3, changed: 1, most: [{ record: '2', alike: [] }] })
  })
})

describe('a repository that is not to be trusted', () => {
  test('runs nothing: hooks, watchers, filters, pagers, signature checkers and remotes', async () => {
    const ran = `${place.folder}-ran`
    const touch = `touch ${ran}`
    writeFileSync(`${place.folder}-run.sh`, `#!/bin/sh\n${touch}\n`, { mode: 0o755 })
    const program = `${place.folder}-run.sh`
    place.write('.gitattributes', '* diff=evil filter=evil\n')
    place.commit('Set attributes')
    place.write('snippets/style.md', 'Be kind.\n')
    place.commit('Be kind')
    const settings = {
      'core.fsmonitor': program,
      'core.pager': program,
      'pager.log': program,
      'log.showSignature': 'true',
      'gpg.program': program,
      'diff.external': program,
      'diff.evil.textconv': program,
      'diff.evil.command': program,
      'filter.evil.smudge': program,
      'filter.evil.clean': program,
      'core.sshCommand': program,
      'core.hooksPath': `${place.folder}-hooks`,
      'alias.log': `!${touch}`,
      'alias.rev-parse': `!${touch}`,
      'remote.origin.url': `ext::sh -c ${touch}`,
      'remote.origin.promisor': 'true',
      'extensions.partialClone': 'origin',
      'core.alternateRefsCommand': program,
      'credential.helper': `!${touch}`,
    }
    mkdirSync(`${place.folder}-hooks`)
    for (const name of ['post-index-change', 'reference-transaction', 'post-checkout'])
      writeFileSync(join(`${place.folder}-hooks`, name), `#!/bin/sh\n${touch}\n`, { mode: 0o755 })
    for (const [name, value] of Object.entries(settings)) place.git('config', name, value)
    rmSync(ran, { force: true })
    // A missing object makes Git fetch it from the remote, if it may.
    const object = place.git('rev-parse', 'HEAD:snippets/style.md').trim()
    await wordingHistory(place.folder)
    await wordingDiff(place.folder, 'label@git:HEAD~1', 'label')
    await publishEditions(place.folder, ['label'])
    rmSync(place.pathOf(`.git/objects/${object.slice(0, 2)}/${object.slice(2)}`), { force: true })
    expect(await codeOf(wordingDiff(place.folder, 'label@git:HEAD', 'label'))).toContain('is missing; the clone is incomplete')
    expect(existsSync(ran)).toBe(false)
  })

  test.each([
    '--output=/tmp/dunelight-written',
    '-h',
    '--all',
    '--git-dir=/',
    'HEAD --',
    'HEAD\nHEAD',
    '@{-1}',
    ':/no such',
    'HEAD:prompts',
    '--exec-path',
  ])('the revision "%s" is no option, and no commit', async (revision) => {
    expect(await codeOf(openLibraryFor(place.folder, `label@git:${revision}`))).toContain('revision-unknown')
    expect(existsSync('/tmp/dunelight-written')).toBe(false)
  })
})
