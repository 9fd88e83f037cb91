import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, realpathSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterEach, beforeEach } from '@jest/globals'

/** A small library whose prompt uses a snippet. */
export const SMALL = {
  'dunelight.yaml': 'title: A small museum\nid: 0a1b2c3d4e5f60718293\n',
  'prompts/label.yaml':
    'title: A label\ntags: [print]\nvariables: { title: text, note: { type: text, optional: true } }\nturns:\n  - user: |\n      ~ use style\n      Write about {title}.\n',
  'snippets/style.md': 'Be plain.\n',
  'data/objects.csv': 'title\nStorm lantern\nTide clock\nBrass bell\n',
  'batches/labels.yaml': 'title: Labels\nprompt: label\nrecords: { from: ../data/objects.csv }\n',
}

/** A folder of each test's own in a Git repository of its own, and a state folder that no other test has. */
export interface Workplace {
  readonly folder: string
  readonly pathOf: (name: string) => string
  readonly write: (path: string, content: string | Buffer) => void
  readonly git: (...words: string[]) => string
  /** Commits everything, with a subject. */
  readonly commit: (subject: string) => void
}

export function useWorkplace(files: Readonly<Record<string, string>> = SMALL): Workplace {
  let folder = ''
  const before = process.env['DUNELIGHT_STATE']
  const write = (path: string, content: string | Buffer) => {
    mkdirSync(dirname(join(folder, path)), { recursive: true })
    writeFileSync(join(folder, path), content)
  }
  const git = (...words: string[]) => gitIn(folder, ...words)
  beforeEach(() => {
    const own = realpathSync(mkdtempSync(join(tmpdir(), 'dunelight-git-')))
    folder = join(own, 'library')
    process.env['DUNELIGHT_STATE'] = join(own, 'state')
    mkdirSync(folder)
    git('init', '-q', '-b', 'main')
    for (const [path, text] of Object.entries(files)) write(path, text)
    git('add', '-A')
    git('commit', '-qm', 'Begin')
  })
  afterEach(() => {
    if (before === undefined) delete process.env['DUNELIGHT_STATE']
    else process.env['DUNELIGHT_STATE'] = before
    rmSync(dirname(folder), { recursive: true, force: true })
  })
  return {
    get folder() {
      return folder
    },
    pathOf: (name) => join(folder, name),
    write,
    git,
    commit: (subject) => {
      git('add', '-A')
      git('commit', '-qm', subject)
    },
  }
}

export function gitIn(folder: string, ...words: string[]): string {
  const who = ['-c', 'user.name=Hesper Dace', '-c', 'user.email=hesper@sandmouth.example', '-c', 'commit.gpgSign=false']
  return execFileSync('git', [...who, ...words], { cwd: folder, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] })
}
