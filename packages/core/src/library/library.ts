import { circles } from './circles.js'
import { drawsOn } from './draws-on.js'
import { joinPrompt } from './join.js'
import { Prompt } from './prompt.js'
import { readShelf, type Shelf } from '../artefacts/read.js'
import { checkSnippet, compilePrompt, type Shelves } from '../compile/prompt.js'
import type { JoinedPrompt } from '../artefacts/artefacts.js'
import type { Plan } from '../render/plan.js'
import { problem, ProblemError, type Problem, type Report } from '../problems/problem.js'
import { FORMATS } from '../values/formats/index.js'
import type { Format } from '../values/formats/format.js'

export interface LibraryOptions {
  /** Formats of the program's own, beside those of the language; their names must not be taken. */
  readonly formats?: readonly Format[]
  /** What reading the files found wrong already. */
  readonly found?: readonly Problem[]
}

/** A library that has been read and checked. What is wrong stands in `problems`; prompts without faults can be rendered all the same. */
export class Library {
  readonly problems: readonly Problem[]
  private readonly compiled = new Map<string, { prompt: JoinedPrompt; plan: Plan }>()
  private readonly ready = new Map<string, Prompt>()

  constructor(
    /** The artefacts as they were read. */
    readonly shelf: Shelf,
    problems: readonly Problem[],
    options: LibraryOptions,
  ) {
    const found: Problem[] = [...problems]
    const report: Report = (p) => found.push(p)
    const shelves: Shelves = { ...shelf, formats: formatTable(options.formats ?? []) }
    const inCircles = circles(shelf, report)
    for (const snippet of shelf.snippets.values()) if (!inCircles.has(snippet.name)) checkSnippet(snippet, shelves, report)
    for (const model of shelf.prompts.values()) {
      const prompt = joinPrompt(model, shelf.prompts, report)
      if (!prompt || inCircles.has(model.name)) continue
      this.compiled.set(model.name, { prompt, plan: compilePrompt(prompt, shelves, report) })
    }
    for (const batch of shelf.batches.values()) {
      if (batch.prompt && !shelf.prompts.has(batch.prompt.name))
        report(problem('use-unknown', { name: batch.prompt.name, what: 'prompt', known: [...shelf.prompts.keys()] }, batch.prompt.span))
    }
    this.problems = inOrder(found)
  }

  get title(): string | undefined {
    return this.shelf.library.title
  }

  /** Whether nothing keeps any prompt from being rendered. */
  get sound(): boolean {
    return this.problems.every((p) => p.severity !== 'error')
  }

  promptNames(): string[] {
    return [...this.shelf.prompts.keys()]
  }

  /**
   * A prompt by its name.
   *
   * @throws ProblemError where there is none, or where it has errors.
   */
  prompt(name: string): Prompt {
    const ready = this.ready.get(name)
    if (ready) return ready
    if (!this.shelf.prompts.has(name)) throw new ProblemError([problem('prompt-unknown', { name, known: this.promptNames() })])
    const errors = this.errorsOf(name)
    const compiled = this.compiled.get(name)
    if (errors.length > 0 || !compiled)
      throw new ProblemError(errors.length > 0 ? errors : this.problems.filter((p) => p.severity === 'error'))
    const made = new Prompt(compiled.prompt, compiled.plan, this.shelf.library)
    this.ready.set(name, made)
    return made
  }

  /** The errors in the prompt's file and in the files of all that it draws on. */
  private errorsOf(name: string): Problem[] {
    const { prompts, snippets, personas, examples, outputs } = this.shelf
    const shelves = { prompt: prompts, snippet: snippets, persona: personas, 'example set': examples, output: outputs }
    const files = new Set([
      prompts.get(name)?.file.name,
      ...drawsOn(this.shelf, name).map((one) => shelves[one.kind].get(one.name)?.file.name),
    ])
    return this.problems.filter((p) => p.severity === 'error' && p.place !== undefined && files.has(p.place.file))
  }
}

function formatTable(own: readonly Format[]): ReadonlyMap<string, Format> {
  const table = new Map(FORMATS.map((format) => [format.name, format]))
  for (const format of own) {
    if (table.has(format.name)) throw new TypeError(`the format "${format.name}" exists already; choose another name`)
    table.set(format.name, format)
  }
  return table
}

/** By file and place, each fault once: a snippet is compiled wherever it is used. */
function inOrder(problems: readonly Problem[]): Problem[] {
  const once = new Map(
    problems.map((p) => [`${p.code} ${p.place ? `${p.place.file}:${p.span!.source.fileOffset(p.span!.start)}` : ''} ${p.message}`, p]),
  )
  const rank = (p: Problem) => p.place?.file ?? ''
  return [...once.values()].sort((a, b) =>
    rank(a) < rank(b)
      ? -1
      : rank(a) > rank(b)
        ? 1
        : (a.place?.line ?? 0) - (b.place?.line ?? 0) || (a.place?.column ?? 0) - (b.place?.column ?? 0),
  )
}

/**
 * Makes a library of texts in memory: paths below its folder, each with the file's text. Problems are collected, never thrown.
 *
 * @example libraryFrom({ 'prompts/hello.yaml': 'title: Hello\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]' }).prompt('hello').render({ who: 'Ines' }).turns[0].text; // => 'Good day, Ines.'
 */
export function libraryFrom(files: Readonly<Record<string, string>>, options: LibraryOptions = {}): Library {
  const problems: Problem[] = [...(options.found ?? [])]
  const shelf = readShelf(files, (p) => problems.push(p))
  return new Library(shelf, problems, options)
}
