import { readFile } from 'node:fs/promises'
import { ProblemError, type BatchModel, type Library, type Prompt } from 'dunelight'
import type { Member } from 'dunelight/parts'
import { artefactFile, plainBatch, defined } from 'dunelight/host'
import { compareTable, type Comparison } from '@dunelight/node'
import { Git, readPools, readyBatch, reason, tableFile } from '@dunelight/node/host'
import { membersNamed } from './members.js'
import { openToRender } from '../flags/open-library.js'
import { WrongUse } from '../ui/context.js'

/** What a change of one file does to one prompt that draws on it. */
export interface Touch {
  readonly prompt: string
  /** Undefined if there is no earlier version to compare with. */
  readonly changed: boolean | undefined
  /** Whether it has errors, now or before, that keep it from being rendered. */
  readonly faulty: boolean
  readonly tables: readonly { readonly records: string; readonly comparison?: Comparison; readonly why?: string }[]
}

export interface Touched {
  readonly members: readonly Member[]
  /** A phrase for what the file is compared with. */
  readonly since: string | undefined
  readonly prompts: readonly Touch[]
  readonly assemblies: readonly TouchedAssembly[]
}

/** An assembly with a changed prompt: the parts that are asked again, and those that use their answers. */
export interface TouchedAssembly {
  readonly assembly: string
  readonly parts: readonly string[]
  readonly after: readonly string[]
}

export interface TouchedFlags {
  readonly touched: string
  readonly before?: string
  readonly records?: string
}

/** Which prompts a changed file changes, and how many records of their tables render differently. */
export async function touchedBy(library: Library, folder: string, flags: TouchedFlags): Promise<Touched> {
  const members = membersNamed(library, folder, flags.touched)
  const prompts = [
    ...new Set(
      members
        .flatMap((member) => [member, ...library.graph.reaches(member)])
        .flatMap((member) => (member.kind === 'prompt' ? [member.name] : [])),
    ),
  ]
  const file = artefactFile(library.artefacts, defined(members[0]))
  const earlier = file === undefined ? undefined : await earlierText(folder, file, flags.before)
  const before = earlier && (await openToRender(folder, undefined, { instead: { [defined(file)]: earlier.text } }))
  const touches: Touch[] = []
  for (const name of prompts.sort()) touches.push(await touch(name, library, before, folder, flags.records))
  const changed = new Set(touches.flatMap(({ prompt, changed: isChanged }) => (isChanged === false ? [] : [prompt])))
  return { members, since: earlier?.message, prompts: touches, assemblies: touchedAssemblies(library, changed) }
}

/** What is asked again for assemblies if these prompts change. */
function touchedAssemblies(library: Library, prompts: ReadonlySet<string>): TouchedAssembly[] {
  return library.assemblyNames().flatMap((name) => {
    if (!library.canAsk(name)) return []
    const assembly = library.assembly(name)
    const parts = assembly.parts.filter(({ call, judge }) => prompts.has(call.prompt) || (judge && prompts.has(judge.prompt)))
    const own = parts.map(({ model }) => model.name)
    if (own.length === 0) return []
    const after = new Set(own.flatMap((part) => assembly.reachedBy(part)))
    return [{ assembly: name, parts: own, after: [...after].filter((part) => !own.includes(part)) }]
  })
}

async function touch(
  name: string,
  library: Library,
  before: Library | undefined,
  folder: string,
  records: string | undefined,
): Promise<Touch> {
  const after = validPrompt(library, name)
  const was = before && validPrompt(before, name)
  if (!before) return { prompt: name, changed: undefined, faulty: !after, tables: [] }
  const member = { kind: 'prompt', name } as const
  const changed = before.fingerprint(member) !== library.fingerprint(member)
  if (!after || !was) return { prompt: name, changed, faulty: true, tables: [] }
  if (records !== undefined) {
    const compared = await attempt(() => compareTable({ before: plainBatch(was), after: plainBatch(after), records }))
    return { prompt: name, changed, faulty: false, tables: [{ records, ...compared }] }
  }
  const tables: Touch['tables'][number][] = []
  for (const model of library.artefacts.batches.values()) {
    if (model.prompt?.name !== name || !model.records) continue
    const table = tableFile(folder, model.records)
    tables.push({ records: table.from, ...(await attempt(() => compareBatch(before, library, model, folder))) })
  }
  return { prompt: name, changed, faulty: false, tables }
}

async function compareBatch(before: Library, library: Library, model: BatchModel, folder: string): Promise<Comparison> {
  const after = await readyBatch(library, model, folder, {})
  const pools = await readPools(after, folder)
  return compareTable({
    before: await readyBatch(before, model, folder, {}),
    after,
    records: tableFile(folder, defined(model.records)),
    pools,
  })
}

async function attempt(compare: () => Promise<Comparison>): Promise<{ comparison: Comparison } | { why: string }> {
  try {
    return { comparison: await compare() }
  } catch (fault) {
    if (fault instanceof ProblemError) return { why: fault.problems.find((p) => p.severity === 'error')?.message ?? '' }
    throw fault
  }
}

function validPrompt(library: Library, name: string): Prompt | undefined {
  try {
    return library.prompt(name)
  } catch (fault) {
    if (fault instanceof ProblemError) return undefined
    throw fault
  }
}

/** The file's earlier version: another file that the caller names, else the file of the last commit, if the folder is under version control. */
async function earlierText(folder: string, path: string, was: string | undefined): Promise<{ text: string; message: string } | undefined> {
  if (was !== undefined) {
    const text = await readFile(was, 'utf8').catch((fault: unknown) => {
      throw new WrongUse(`cannot read ${was}: ${reason(fault)}`)
    })
    return { text, message: was }
  }
  const git = await Git.openIfAny(folder)
  if (!git) return undefined
  try {
    const head = await git.head()
    const id = (await git.filesAt(head)).get(path)
    return id === undefined ? undefined : { text: await git.text(id), message: 'the last commit' }
  } finally {
    git.close()
  }
}
