import { execFile, spawn, type ChildProcessWithoutNullStreams } from 'node:child_process'
import { createHash } from 'node:crypto'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'

/**
 * What keeps a repository from running anything: its own settings can name programs (hooks, a file watcher, a pager, a signature checker), and
 * replacements of objects; a clone without all objects would fetch them, by a command that it names itself.
 */
const SAFE = [
  '--no-pager',
  '--no-replace-objects',
  ...[
    'core.fsmonitor=false',
    'core.hooksPath=/dev/null',
    'log.showSignature=false',
    'log.follow=false',
    'i18n.logOutputEncoding=UTF-8',
  ].flatMap((setting) => ['-c', setting]),
]

/** Variables that point Git at another repository, or at programs, do not reach it: a hook that calls this has them set. */
function safeEnvironment(): NodeJS.ProcessEnv {
  const kept = Object.entries(process.env).filter(
    ([name]) => !name.startsWith('GIT_') || /^GIT_CONFIG_(?:GLOBAL|SYSTEM|NOSYSTEM)$/.test(name),
  )
  return {
    ...Object.fromEntries(kept),
    LC_ALL: 'C',
    GIT_TERMINAL_PROMPT: '0',
    GIT_OPTIONAL_LOCKS: '0',
    GIT_NO_LAZY_FETCH: '1',
    // A list that allows no protocol at all.
    GIT_ALLOW_PROTOCOL: 'none',
  }
}

/** The most that one command may print. */
const MOST_OUTPUT = 1 << 28

/** A commit as it is listed. */
export interface Commit {
  readonly id: string
  readonly time: string
  readonly author: string
  readonly subject: string
}

/** A file at a commit: its object, by its path below the library's folder. */
export type TreeFiles = ReadonlyMap<string, string>

/**
 * The repository that a library's folder lies in, read by the system's `git`. Nothing that the repository contains is run, and what names a
 * revision never becomes an option: only ids of objects reach other commands.
 */
export class Git {
  private objects: ObjectReader | undefined
  private readonly trees = new Map<string, Promise<readonly TreeEntry[]>>()

  private constructor(
    /** The library's folder. */
    readonly folder: string,
    /** The steps from the repository's root to the folder. */
    private readonly steps: readonly string[],
    readonly isShallow: boolean,
  ) {}

  /**
   * Opens the repository around a folder. It has to be closed.
   *
   * @throws ProblemError if there is none, or Git does not read it.
   */
  static async open(folder: string): Promise<Git> {
    const [prefix = '', shallow] = (await run(folder, ['rev-parse', '--show-prefix', '--is-shallow-repository'])).split('\n')
    return new Git(folder, prefix.split('/').filter(Boolean), shallow === 'true')
  }

  /** The same; undefined where the folder is in no repository, or there is no Git. */
  static async openIfAny(folder: string): Promise<Git | undefined> {
    return Git.open(folder).catch((fault: unknown) => {
      if (fault instanceof ProblemError) return undefined
      throw fault
    })
  }

  close(): void {
    this.objects?.close()
    this.objects = undefined
  }

  /**
   * The id of the commit that a revision names.
   *
   * @throws ProblemError if there is no such commit.
   */
  async commitOf(revision: string): Promise<string> {
    const unknown = () => new ProblemError([problem('revision-unknown', { revision, shallow: this.isShallow })])
    // A revision with a line break or a null character is none.
    if (/[\0\r\n]/.test(revision)) throw unknown()
    const words = ['rev-parse', '--verify', '--quiet', '--end-of-options', `${revision}^{commit}`]
    const id = /^[\da-f]{40,64}$/m.exec(await run(this.folder, words).catch(() => ''))?.[0]
    if (id === undefined) throw unknown()
    return id
  }

  /** The commit that the working files are based on; undefined before the first commit. */
  async head(): Promise<string | undefined> {
    return this.commitOf('HEAD').catch(() => undefined)
  }

  /** The commits that changed the folder, newest first, along the first parents: a merge is one of them. */
  async log(from: string): Promise<readonly Commit[]> {
    const format = '--format=%H%x00%aI%x00%an%x00%s'
    const printed = await run(this.folder, ['log', '--first-parent', '--no-ext-diff', '--no-textconv', format, from, '--', '.'])
    return printed.split('\n').flatMap((line) => {
      const [id = '', time = '', author = '', subject = ''] = line.split('\0')
      return id === '' ? [] : [{ id, time, author, subject }]
    })
  }

  async commit(id: string): Promise<Commit> {
    const printed = await run(this.folder, ['log', '-1', '--no-ext-diff', '--no-textconv', '--format=%H%x00%aI%x00%an%x00%s', id])
    const [, time = '', author = '', subject = ''] = (printed.split('\n')[0] ?? '').split('\0')
    return { id, time, author, subject }
  }

  /** The name that Git would give to an author of this machine. */
  async author(): Promise<string | undefined> {
    const name = (await run(this.folder, ['config', '--get', 'user.name']).catch(() => '')).trim()
    return name === '' ? undefined : name
  }

  /** The folder's tree at a commit; undefined where the folder did not exist. */
  async treeAt(commit: string): Promise<string | undefined> {
    const object = await this.bytes(commit)
    let tree: string | undefined = /^tree ([\da-f]+)$/m.exec(object.toString('latin1', 0, 100))?.[1]
    for (const step of this.steps) {
      const entries: readonly TreeEntry[] = tree === undefined ? [] : await this.entries(tree)
      tree = entries.find((entry) => entry.name === step && entry.kind === 'folder')?.id
    }
    return tree
  }

  /** All files of a tree, by path; links and other repositories within it are none. */
  async filesOf(tree: string): Promise<TreeFiles> {
    const files = new Map<string, string>()
    const visit = async (id: string, path: string): Promise<void> => {
      for (const entry of await this.entries(id)) {
        if (entry.kind === 'file') files.set(path + entry.name, entry.id)
        else if (entry.kind === 'folder' && !entry.name.startsWith('.')) await visit(entry.id, `${path}${entry.name}/`)
      }
    }
    await visit(tree, '')
    return files
  }

  /** The files of the folder at a commit; none where it did not exist, or before the first commit. */
  async filesAt(commit: string | undefined): Promise<TreeFiles> {
    const tree = commit === undefined ? undefined : await this.treeAt(commit)
    return tree === undefined ? new Map() : this.filesOf(tree)
  }

  /** Whether an object is a file with these bytes; line ends, which Git may change, make no difference. */
  async has(id: string, bytes: Uint8Array): Promise<boolean> {
    if (id === objectId(bytes, id.length === 64 ? 'sha256' : 'sha1')) return true
    const plain = (content: Uint8Array) => Buffer.from(content).toString('latin1').replaceAll('\r\n', '\n')
    return plain(await this.bytes(id)) === plain(bytes)
  }

  /** The content of an object, by its id. */
  object(id: string): Promise<Uint8Array> {
    return this.bytes(id)
  }

  /** The content of a file as text. */
  async text(id: string): Promise<string> {
    return (await this.bytes(id)).toString('utf8')
  }

  private bytes(id: string): Promise<Buffer> {
    this.objects ??= new ObjectReader(this.folder)
    return this.objects.read(id)
  }

  /** Which file of one commit another file of a later one was, by its content: for files that were renamed. */
  async earlierName(before: string, after: string, path: string): Promise<string | undefined> {
    const words = ['diff-tree', '-r', '-M', '-z', '--relative', '--diff-filter=R', '--name-status', '--no-ext-diff', '--no-textconv']
    const fields = (await run(this.folder, [...words, before, after])).split('\0')
    for (let i = 0; i + 2 < fields.length; i += 3) if (fields[i + 2] === path) return fields[i + 1]
    return undefined
  }

  private entries(tree: string): Promise<readonly TreeEntry[]> {
    const known = this.trees.get(tree)
    if (known) return known
    const entries = this.bytes(tree).then((bytes) => treeEntries(bytes, tree.length / 2))
    this.trees.set(tree, entries)
    return entries
  }
}

interface TreeEntry {
  readonly name: string
  readonly kind: 'file' | 'folder' | 'other'
  readonly id: string
}

/** The entries of a tree object: mode, space, name, null, and the id as bytes. */
function treeEntries(bytes: Buffer, idBytes: number): TreeEntry[] {
  const entries: TreeEntry[] = []
  for (let offset = 0; offset < bytes.length;) {
    const space = bytes.indexOf(0x20, offset)
    const end = bytes.indexOf(0, space)
    if (space < 0 || end < 0) break
    const mode = bytes.toString('latin1', offset, space)
    const kind = mode === '40000' ? 'folder' : mode.startsWith('100') ? 'file' : 'other'
    entries.push({ name: bytes.toString('utf8', space + 1, end), kind, id: bytes.toString('hex', end + 1, end + 1 + idBytes) })
    offset = end + 1 + idBytes
  }
  return entries
}

/** The id that Git gives to a file's content. */
export function objectId(bytes: Uint8Array, algorithm: 'sha1' | 'sha256' = 'sha1'): string {
  return createHash(algorithm).update(`blob ${bytes.length}\0`).update(bytes).digest('hex')
}

/** Runs one command. */
function run(folder: string, words: readonly string[]): Promise<string> {
  return new Promise((resolve, reject) => {
    const options = { cwd: folder, env: safeEnvironment(), maxBuffer: MOST_OUTPUT, encoding: 'utf8' as const }
    execFile('git', [...SAFE, ...words], options, (fault, stdout, stderr) => {
      if (fault) reject(unusable(folder, fault, stderr))
      else resolve(stdout)
    })
  })
}

/** Why Git cannot be used, in words of its user. */
function unusable(folder: string, fault: NodeJS.ErrnoException | Error, stderr: string): ProblemError {
  const first = /^(?:fatal|error): (.*)$/m.exec(stderr)?.[1] ?? ''
  const state = (why: string, hint?: string) =>
    new ProblemError([problem('git-unusable', { folder, why, ...(hint !== undefined && { hint }) })], { cause: fault })
  if ('code' in fault && fault.code === 'ENOENT') return state('Git is not installed', 'install git')
  if (first.startsWith('not a git repository')) return state('it is in no Git repository', 'git init makes one')
  if (first.includes('dubious ownership'))
    return state('the repository belongs to another user', `git config --global --add safe.directory ${folder}`)
  return state(first === '' ? fault.message : first)
}

/** Reads objects through one process of `git cat-file --batch`. */
class ObjectReader {
  private readonly child: ChildProcessWithoutNullStreams
  private readonly waiting: {
    readonly id: string
    readonly resolve: (bytes: Buffer) => void
    readonly reject: (fault: unknown) => void
  }[] = []
  private parts: Buffer[] = []
  private length = 0
  /** How many bytes the answer has that is coming, with its line; undefined before its line is there. */
  private expected: number | undefined

  constructor(folder: string) {
    this.child = spawn('git', [...SAFE, 'cat-file', '--batch'], { cwd: folder, env: safeEnvironment() })
    const fail = (why: string) => {
      for (const { reject } of this.waiting.splice(0)) reject(new ProblemError([problem('git-unusable', { folder, why })]))
    }
    this.child.on('error', (fault) => fail(fault.message))
    this.child.on('close', () => fail('git ended early; the repository may be damaged'))
    this.child.stdin.on('error', () => undefined)
    this.child.stderr.resume()
    this.child.stdout.on('data', (part: Buffer) => {
      this.parts.push(part)
      this.length += part.length
      this.take(folder)
    })
  }

  read(id: string): Promise<Buffer> {
    return new Promise((resolve, reject) => {
      this.waiting.push({ id, resolve, reject })
      this.child.stdin.write(`${id}\n`)
    })
  }

  close(): void {
    this.child.stdin.end()
    this.child.kill()
  }

  /** Hands out the answers that are complete: a line with the size, the bytes, a line break. */
  private take(folder: string): void {
    while (this.length > 0 && (this.expected === undefined || this.length >= this.expected)) {
      const all = this.parts.length === 1 && this.parts[0] ? this.parts[0] : Buffer.concat(this.parts)
      this.parts = [all]
      const newline = all.indexOf(10)
      if (newline < 0) return
      const size = / (\d+)$/.exec(all.toString('latin1', 0, newline))?.[1]
      const end = size === undefined ? newline + 1 : newline + 1 + Number(size) + 1
      this.expected = end
      if (all.length < end) return
      const next = this.waiting.shift()
      if (size === undefined) {
        const why = `the object ${next?.id.slice(0, 12) ?? ''} is missing; the clone is incomplete`
        next?.reject(new ProblemError([problem('git-unusable', { folder, why })]))
      } else next?.resolve(all.subarray(newline + 1, end - 1))
      const rest = all.subarray(end)
      this.parts = rest.length > 0 ? [rest] : []
      this.length = rest.length
      this.expected = undefined
    }
  }
}
