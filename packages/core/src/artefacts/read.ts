import { DEFAULT_PERSONAL } from '../values/personal/detector.js'
import {
  DEFAULT_LIMITS,
  ownTurns,
  type AssemblyModel,
  type BatchModel,
  type EnvelopeModel,
  type ExampleSetModel,
  type LibraryModel,
  type Limits,
  type OutputModel,
  type PersonaModel,
  type PromptModel,
  type SnippetModel,
} from './artefacts.js'
import { readAssembly } from './assembly.js'
import { readBatch } from './batch.js'
import { readEnvelope } from './envelope.js'
import { readExampleSet } from './examples.js'
import { NO_MODELS, readModels, type ModelList } from './models.js'
import { readLibraryFile } from './library-file.js'
import { readOutput } from './output.js'
import { readPersona } from './persona.js'
import { readPrompt } from './prompt.js'
import type { Reading } from './reading.js'
import { reportSecrets } from './secrets.js'
import { readPlainSnippet, readSnippet } from './snippet.js'
import { problem, type Problem, type Report } from '../problems/problem.js'
import { Source } from '../source/source.js'
import { parseYaml, type YamlNode } from '../source/yaml.js'
import { isName } from '../values/names.js'

/** The contents of a library's files, by kind and name. */
export interface LibraryFiles {
  readonly library: LibraryModel
  /** The models that are described. */
  readonly models: ModelList
  readonly prompts: ReadonlyMap<string, PromptModel>
  readonly snippets: ReadonlyMap<string, SnippetModel>
  readonly personas: ReadonlyMap<string, PersonaModel>
  readonly examples: ReadonlyMap<string, ExampleSetModel>
  readonly outputs: ReadonlyMap<string, OutputModel>
  readonly assemblies: ReadonlyMap<string, AssemblyModel>
  readonly batches: ReadonlyMap<string, BatchModel>
  readonly envelopes: ReadonlyMap<string, EnvelopeModel>
}

const READERS = {
  prompts: { what: 'prompt', read: readPrompt },
  snippets: { what: 'snippet', read: readSnippet },
  personas: { what: 'persona', read: readPersona },
  examples: { what: 'example set', read: readExampleSet },
  outputs: { what: 'output', read: readOutput },
  assemblies: { what: 'assembly', read: readAssembly },
  batches: { what: 'batch', read: readBatch },
  envelopes: { what: 'envelope', read: readEnvelope },
} as const
type Folder = keyof typeof READERS

/** What messages call the artefacts of a folder. */
export const WHAT_IN = Object.fromEntries(Object.entries(READERS).map(([folder, { what }]) => [folder, what])) as {
  readonly [F in Folder]: (typeof READERS)[F]['what']
}

/** Folders of a library; what lies elsewhere is data or nothing. */
export const FOLDERS = [...Object.keys(READERS), 'data', 'out', 'runs', 'answers', 'editions', 'audit'] as readonly string[]
/** Folders whose files are none of the library's own. */
export const OTHER_FOLDERS: readonly string[] = ['data', 'out', 'runs', 'answers', 'editions', 'audit']

/**
 * Files that were read before: those whose text is the same are not read again. For callers that open one library after another while a single
 * file is being written.
 */
export class FileCache {
  /** By path, the limits, and the text. */
  private readonly read = new Map<string, { readonly key: string; readonly artefact: unknown; readonly problems: readonly Problem[] }>()

  /** The content of a file: the earlier reading if the text and the limits are unchanged. */
  take<T>({ name, text }: Source, limits: Limits, report: Report, read: (report: Report) => T): T {
    const key = `${JSON.stringify(limits)}\n${text}`
    let known = this.read.get(name)
    if (known?.key !== key) {
      const problems: Problem[] = []
      const artefact = read((p) => problems.push(p))
      this.read.set(name, (known = { key, artefact, problems }))
    }
    for (const problem of known.problems) report(problem)
    return known.artefact as T
  }
}

/** Reads the files of a library: path below its folder → text. */
export function readLibraryFiles(files: Readonly<Record<string, string>>, report: Report, kept?: FileCache): LibraryFiles {
  const paths = Object.keys(files).sort()
  const main = paths.find((path) => path === 'dunelight.yaml' || path === 'dunelight.json')
  const cache: Cache = kept ?? { take: (_, __, hear, read) => read(hear) }
  const library = readMain(main, files, report, cache)
  const models = readModelsFile(files, report, cache)
  const shelves = eachFolder<unknown>()
  const taken = eachFolder<string>()
  const strangers = new Set<string>()
  for (const path of paths) {
    const [folder = '', ...rest] = path.split('/')
    const ending = (folder === 'outputs' ? /\.(yaml|schema\.json|json)$/ : /\.(yaml|json|md|txt)$/).exec(path)?.[1]
    if (rest.length === 0 || OTHER_FOLDERS.includes(folder) || ending === undefined) continue
    if (!(folder in READERS)) {
      if ((ending === 'yaml' || ending === 'json') && !strangers.has(folder))
        report(problem('folder-unknown', { folder, known: FOLDERS }, new Source(path, files[path] ?? '').span(0, 0)))
      strangers.add(folder)
      continue
    }
    const kind = folder as Folder
    if (kind !== 'snippets' && (ending === 'md' || ending === 'txt')) continue
    const file = new Source(path, files[path] ?? '')
    const name = rest
      .join('/')
      .slice(0, -ending.length - 1)
      .normalize('NFC')
    claim(name, path, READERS[kind].what, taken[kind], file, report)
    const read = (hear: Report) => {
      reportSecrets(file, hear)
      if (ending === 'md' || ending === 'txt') return readPlainSnippet(name, file, hear)
      const root = openYaml(file, library.limits, hear)
      return root && READERS[kind].read({ name, file, root, report: hear, limits: library.limits } satisfies Reading)
    }
    const artefact = cache.take<unknown>(file, library.limits, report, read)
    if (artefact) shelves[kind].set(name, artefact)
  }
  return { library, models, ...shelves } as unknown as LibraryFiles
}

/** The library's own files that turns attach, as paths below its folder. */
export function attachedFiles({ prompts }: LibraryFiles): string[] {
  const attached = [...prompts.values()].flatMap(ownTurns).flatMap((turn) => (turn.kind === 'text' ? turn.attach : []))
  return [...new Set(attached.flatMap((attachment) => (attachment.kind === 'path' ? [attachment.path] : [])))]
}

/** The tables that example sets take their cases from, as paths below the library's folder. */
export function caseTables({ examples }: LibraryFiles): string[] {
  return [...new Set([...examples.values()].flatMap((set) => (set.from ? [set.from.path] : [])))]
}

/** A map of its own for each kind of artefact. */
function eachFolder<V>(): Record<Folder, Map<string, V>> {
  return Object.fromEntries(Object.keys(READERS).map((folder) => [folder, new Map<string, V>()])) as Record<Folder, Map<string, V>>
}

type Cache = Pick<FileCache, 'take'>

function readMain(path: string | undefined, files: Readonly<Record<string, string>>, report: Report, cache: Cache): LibraryModel {
  const file = path === undefined ? undefined : new Source(path, files[path] ?? '')
  const read = (hear: Report): LibraryModel | undefined => {
    if (!file) return undefined
    reportSecrets(file, hear)
    const root = openYaml(file, DEFAULT_LIMITS, hear)
    return root && readLibraryFile(root, hear)
  }
  const model = file && cache.take(file, DEFAULT_LIMITS, report, read)
  if (model) return model
  return {
    id: undefined,
    audit: undefined,
    title: undefined,
    locale: undefined,
    settings: {},
    screens: [],
    nonce: false,
    personal: DEFAULT_PERSONAL,
    limits: DEFAULT_LIMITS,
  }
}

function readModelsFile(files: Readonly<Record<string, string>>, report: Report, cache: Cache): ModelList {
  const text = files[MODELS_FILE]
  if (text === undefined) return NO_MODELS
  const file = new Source(MODELS_FILE, text)
  return cache.take(file, DEFAULT_LIMITS, report, (hear) => {
    reportSecrets(file, hear)
    const root = openYaml(file, DEFAULT_LIMITS, hear)
    return root ? readModels(root, hear) : NO_MODELS
  })
}

const MODELS_FILE = 'models.yaml'

function openYaml(file: Source, limits: Limits, report: Report): YamlNode | undefined {
  const { root, faults, cut } = parseYaml(file, limits.aliases)
  for (const { message, hint, span, related } of faults)
    report(problem('yaml-invalid', { detail: message, ...(hint !== undefined && { hint }) }, span, related && [related]))
  for (const span of cut) report(problem('text-cut', {}, span))
  if (faults.length > 0) return undefined
  if (root.kind === 'map') return root
  report(problem('yaml-invalid', { detail: 'the file has no keys' }, file.span(0, 0)))
  return undefined
}

/** Each name once, in one writing, of steps that are names of the language. */
function claim(name: string, path: string, what: string, taken: Map<string, string>, file: Source, report: Report): void {
  const span = file.span(0, 0)
  for (const step of name.split('/')) if (!isName(step)) report(problem('name-invalid', { name: step }, span))
  const folded = name.toLowerCase()
  const other = taken.get(folded)
  if (other !== undefined) {
    const otherName = other
      .split('/')
      .slice(1)
      .join('/')
      .replace(/\.\w+$/, '')
      .normalize('NFC')
    report(
      otherName === name
        ? problem('name-clash', { name, what, other }, span)
        : problem('name-case-clash', { name, what, other: otherName }, span),
    )
  }
  taken.set(folded, path)
}
