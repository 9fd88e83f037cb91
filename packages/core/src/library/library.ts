import { checkBatch, checkEnvelope } from './batch-checks.js'
import { detectors } from '../values/personal/detector.js'
import { defined } from '../invariant.js'
import { circles, usedSnippets } from './circles.js'
import { withoutEchoes } from './echoes.js'
import { fingerprintOf, sharedOf } from './fingerprint.js'
import type { AuditSink } from '../asking/audit.js'
import { artefactOf, graphOf, type LibraryGraph, type Member } from './graph.js'
import { caseNumber, hasError, inOrder, isError, unusedIn } from './library-problems.js'
import { PromptJoiner } from './join.js'
import type { AskTools } from './ask-prompt.js'
import { Prompt, type AnyValues } from './prompt.js'
import { Assembly } from './assembly.js'
import { readyAssembly, type ReadyAssembly } from './ready-assembly.js'
import { EnvelopeWriter } from './envelope.js'
import { screensOf } from '../asking/screens.js'
import { compileAssembly, declaredParts } from '../compile/assembly.js'
import { localeOf } from '../values/locale.js'
import { seenFrom } from './seen-from.js'
import { withRows, type CaseRows } from './case-rows.js'
import { readLibraryFiles, type FileCache, type LibraryFiles } from '../artefacts/read.js'
import { compileKeep, compileWords } from '../compile/keep.js'
import type { Condition, Text } from '../text/nodes.js'
import { caseOf } from '../artefacts/examples.js'
import type { Declared } from '../values/types.js'
import { checkSnippet, compilePrompt, compileSet } from '../compile/prompt.js'
import type { PreparedSet } from '../compile/example-set.js'
import type { Likeness } from '../examples/picker.js'
import { checksOf, joinOutputs, type Validator } from './outputs.js'
import type { AssemblyModel, BatchModel, JoinedPrompt, Limits, OutputModel, PromptModel } from '../artefacts/artefacts.js'
import type { CompileEnv } from '../compile/env.js'
import type { FileValue } from '../values/files.js'
import type { Plan } from '../render/plan.js'
import { problem, ProblemError, type Problem, type Report } from '../problems/problem.js'
import { FORMATS } from '../values/formats/index.js'
import type { Format } from '../values/formats/format.js'

/** What a library takes besides its files. */
export interface LibraryOptions {
  /** Formats of the program, in addition to those of the language; their names must not be taken. */
  readonly formats?: readonly Format[]
  /** The library's own files that turns attach, by their path below its folder; a text is the reason why one cannot be read. */
  readonly attachments?: Readonly<Record<string, FileValue | string>>
  /** The rows that example sets take their cases from, by the table's path below the library's folder; a text is the reason why they cannot be read. */
  readonly tables?: Readonly<Record<string, CaseRows | string>>
  /** Counts the tokens of a text, for budgets: the encoding is the caller's choice. */
  readonly countTokens?: (text: string) => number
  /** Measures of likeness in place of the built-in one, by example set: vectors, or any function of the program. */
  readonly likeness?: Readonly<Record<string, Likeness>>
  /** A cache of parsed files, for programs that open the library repeatedly while it is edited. */
  readonly cache?: FileCache
  /** Checks data by a JSON Schema, for outputs that are one: that of "dunelight/json-schema", or any other. */
  readonly validator?: Validator
}

/** The types of a library's prompts where none are known: any name, any values. */
export type AnyPrompts = Readonly<Record<string, { readonly values: AnyValues; readonly reply: unknown }>>
/** The types of a library's assemblies where none are known. */
export type AnyAssemblies = Readonly<Record<string, { readonly values: AnyValues; readonly answers: Readonly<Record<string, unknown>> }>>
type ValuesIn<T> = T extends { readonly values: infer V extends object } ? V : AnyValues
type AnswersIn<T> = T extends { readonly answers: infer P extends object } ? P : Readonly<Record<string, unknown>>
type ReplyIn<T> = T extends { readonly reply: infer R } ? R : unknown

/**
 * A library that was read and checked. Problems are in `problems`; prompts without errors can be rendered even if others have some.
 * `P` gives the types of its prompts by name, `A` those of its assemblies.
 *
 * @example
 * const library = libraryFrom({ 'prompts/hello.yaml': 'title: Hello\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]' })
 * library.promptNames() // => ['hello']
 */
export class Library<P extends object = AnyPrompts, A extends object = AnyAssemblies> {
  readonly problems: readonly Problem[]
  readonly #artefacts: LibraryFiles
  readonly #graph: LibraryGraph
  readonly #sets: ReadonlyMap<string, PreparedSet>
  readonly #outputs: ReadonlyMap<string, OutputModel>
  readonly #env: CompileEnv
  readonly #attachments: NonNullable<LibraryOptions['attachments']>
  readonly #tables: NonNullable<LibraryOptions['tables']>
  readonly #compiled = new Map<string, Compiled>()
  readonly #ready = new Map<string, Prompt>()
  readonly #compiledAssemblies = new Map<string, CompiledAssembly>()
  readonly #readyAssemblies = new Map<string, Assembly>()

  constructor(
    artefacts: LibraryFiles,
    /** What reading found wrong. */
    read: readonly Problem[],
    options: LibraryOptions,
  ) {
    this.#artefacts = artefacts
    const problems: Problem[] = [...read]
    const report: Report = (p) => problems.push(p)
    const sets = new Map<string, PreparedSet>()
    const before: CompileEnv & Pick<LibraryFiles, 'prompts'> = {
      ...artefacts,
      formats: formatTable(options.formats ?? []),
      attachments: new Map(Object.entries(options.attachments ?? {})),
      sets,
      countTokens: options.countTokens,
      likeness: new Map(Object.entries(options.likeness ?? {})),
      checks: new Map(),
      nonce: artefacts.library.nonce,
      detectorFor: detectors(artefacts.library.personal),
      replyCharacters: artefacts.library.limits.replyCharacters,
    }
    const inCircles = circles(artefacts, report)
    const sound = [...artefacts.snippets.values()].filter(({ name }) => !inCircles.has(name))
    const used = usedSnippets(
      sound.map(({ text }) => text),
      artefacts.snippets,
    )
    for (const snippet of sound) checkSnippet(snippet, before, report, { withUsed: !used.has(snippet.name) })
    for (const set of artefacts.examples.values())
      sets.set(set.name, compileSet(withRows(set, options.tables ?? {}, report), before, report))
    this.#outputs = joinOutputs(artefacts.outputs, sets, report)
    const shelves = { ...before, outputs: this.#outputs, checks: checksOf(this.#outputs, options.validator, report) }
    this.#sets = sets
    this.#env = shelves
    this.#tools = {
      screens: () => screensOf(this.#artefacts.library),
      audit: () => this.#audit,
      countTokens: options.countTokens,
      writerFor: (prompt, name) => {
        const known = artefacts.envelopes
        const envelope = known.get(name)
        if (!envelope) throw new ProblemError([problem('use-unknown', { name, what: 'envelope', known: [...known.keys()] })])
        return new EnvelopeWriter(envelope, this as unknown as Library, prompt, [], {})
      },
    }
    this.#graph = graphOf(artefacts)
    this.#attachments = options.attachments ?? {}
    this.#tables = options.tables ?? {}
    for (const unused of unusedIn(artefacts, this.#graph)) report(unused)
    this.#filed = problems
    const joiner = new PromptJoiner(artefacts.prompts)
    for (const model of artefacts.prompts.values())
      this.#compiled.set(model.name, this.compile(model, shelves, joiner, inCircles.has(model.name)))
    for (const model of artefacts.assemblies.values()) {
      if (artefacts.prompts.has(model.name))
        report(problem('name-clash', { name: model.name, what: 'prompt or assembly', other: `prompts/${model.name}.yaml` }, model.span))
      this.#compiledAssemblies.set(model.name, this.compileAssembly(model))
    }
    for (const batch of artefacts.batches.values()) {
      if (batch.prompt && !this.has(batch.prompt.name))
        report(problem('use-unknown', { name: batch.prompt.name, what: 'prompt', known: this.askableNames() }, batch.prompt.span))
    }
    for (const envelope of artefacts.envelopes.values()) checkEnvelope(envelope, undefined, report)
    for (const batch of artefacts.batches.values()) this.checkBatch(batch).forEach(report)
    for (const { envelope } of artefacts.models.models.values()) {
      if (envelope && !artefacts.envelopes.has(envelope.name))
        report(problem('use-unknown', { name: envelope.name, what: 'envelope', known: [...artefacts.envelopes.keys()] }, envelope.span))
    }
    this.problems = withoutEchoes(
      inOrder([...problems, ...[...this.#compiled.values(), ...this.#compiledAssemblies.values()].flatMap((item) => item.problems)]),
    )
  }

  /** Problems of single files; those found while a prompt was compiled are kept with its plan. */
  readonly #filed: readonly Problem[]

  /** The plans of the prompts that can be rendered, by name. */
  private get plans(): ReadonlyMap<string, Plan | undefined> {
    return new Map([...this.#compiled].map(([name, { ready, problems }]) => [name, hasError(problems) ? undefined : ready?.plan]))
  }

  /** The answers of an assembly's parts as other parts and its text see them; none for an unknown name. */
  answersOf(assembly: string): readonly Declared[] {
    const model = this.#artefacts.assemblies.get(assembly)
    return model ? declaredParts(model, this.plans, this.#env) : []
  }

  private compileAssembly(model: AssemblyModel): CompiledAssembly {
    const problems: Problem[] = []
    const report: Report = (p) => problems.push(p)
    const plan = compileAssembly(model, this.plans, this.#env, report)
    const ready = plan && readyAssembly(model, plan, this.#env, report)
    return { problems, ready: hasError(problems) ? undefined : ready }
  }

  private compile(model: PromptModel, shelves: CompileEnv, joiner: PromptJoiner, inCircle: boolean): Compiled {
    const problems: Problem[] = []
    const prompt = joiner.join(model, (p) => problems.push(p))
    if (!prompt || inCircle) return { problems, ready: undefined }
    const plan = compilePrompt(prompt, shelves, (p) => problems.push(seenFrom(prompt, p)))
    return { problems, ready: { prompt, plan } }
  }

  /** What is wrong with a batch by its prompt and its envelope. One of a prompt with errors is not looked at: its cause is there. */
  checkBatch(batch: BatchModel): readonly Problem[] {
    const name = batch.prompt?.name ?? ''
    const { ready, problems } = this.#compiled.get(name) ?? { problems: [] }
    const plan = hasError(problems) ? undefined : ready?.plan
    const scope = plan ?? (this.#artefacts.assemblies.has(name) && this.canAsk(name) ? this.assemblyNamed(name) : undefined)
    if (!scope) return []
    const wrong: Problem[] = []
    checkBatch(batch, scope, this.#artefacts, this.#env, (p) => wrong.push(p))
    if (!plan && batch.envelope)
      wrong.push(problem('key-inapplicable', { key: 'envelope', type: 'an assembly', fits: [] }, batch.envelope.span))
    return wrong
  }

  /** The artefacts as they were read. */
  get artefacts(): LibraryFiles {
    return this.#artefacts
  }

  /** What uses what, both ways. */
  get graph(): LibraryGraph {
    return this.#graph
  }

  /** The example sets with their cases written. */
  get sets(): ReadonlyMap<string, PreparedSet> {
    return this.#sets
  }

  /** The outputs, joined with their bases. */
  get outputs(): ReadonlyMap<string, OutputModel> {
    return this.#outputs
  }

  /** What approvals and channels name the library by. */
  get id(): string | undefined {
    return this.#artefacts.library.id
  }

  get title(): string | undefined {
    return this.#artefacts.library.title
  }

  get limits(): Limits {
    return this.#artefacts.library.limits
  }

  /** Whether nothing keeps any prompt from being rendered. */
  get isValid(): boolean {
    return !hasError(this.problems)
  }

  /** Whether nothing keeps this prompt from being rendered. */
  canRender(name: string): boolean {
    const compiled = this.#compiled.get(name)
    return compiled?.ready !== undefined && this.errorsOf({ kind: 'prompt', name }, compiled.problems).length === 0
  }

  promptNames(): string[] {
    return [...this.#artefacts.prompts.keys()]
  }

  /**
   * A prompt by its name.
   *
   * @throws ProblemError where there is none, or where it has errors.
   */
  prompt<N extends keyof P & string>(name: N): Prompt<ValuesIn<P[N]>, ReplyIn<P[N]>> {
    return this.promptNamed(name) as unknown as Prompt<ValuesIn<P[N]>, ReplyIn<P[N]>>
  }

  private promptNamed(name: string): Prompt {
    const known = this.#ready.get(name)
    if (known) return known
    if (!this.#artefacts.prompts.has(name)) {
      const isAssembly = this.#artefacts.assemblies.has(name)
      throw new ProblemError([problem('prompt-unknown', { name, known: this.promptNames(), ...(isAssembly && { isAssembly }) })])
    }
    const member: Member = { kind: 'prompt', name }
    const { ready, problems } = this.#compiled.get(name) ?? { ready: undefined, problems: [] }
    const errors = this.errorsOf(member, problems)
    if (errors.length > 0 || !ready) throw new ProblemError(errors.length > 0 ? errors : this.problems.filter(isError))
    const made: Prompt = new Prompt(
      ready.prompt,
      ready.plan,
      this.#artefacts.library,
      this.#sets,
      () => defined(this.fingerprint(member)),
      this.#tools,
    )
    this.#ready.set(name, made)
    return made
  }

  /** The names of all that a model can be asked for: prompts and assemblies. */
  askableNames(): string[] {
    return [...this.promptNames(), ...this.assemblyNames()]
  }

  assemblyNames(): string[] {
    return [...this.#artefacts.assemblies.keys()]
  }

  private has(name: string): boolean {
    return this.#artefacts.prompts.has(name) || this.#artefacts.assemblies.has(name)
  }

  /**
   * An assembly by its name.
   *
   * @throws ProblemError where there is none, or where it or one of its prompts has errors.
   */
  assembly<N extends keyof A & string>(name: N): Assembly<ValuesIn<A[N]>, AnswersIn<A[N]>> {
    return this.assemblyNamed(name) as unknown as Assembly<ValuesIn<A[N]>, AnswersIn<A[N]>>
  }

  private assemblyNamed(name: string): Assembly {
    const known = this.#readyAssemblies.get(name)
    if (known) return known
    const compiled = this.#compiledAssemblies.get(name)
    if (!compiled) throw new ProblemError([problem('assembly-unknown', { name, known: this.assemblyNames() })])
    const errors = this.errorsOf({ kind: 'assembly', name }, compiled.problems)
    if (errors.length > 0 || !compiled.ready) throw new ProblemError(errors.length > 0 ? errors : this.problems.filter(isError))
    const { input, document, model, plan } = compiled.ready
    const identify = () => defined(this.fingerprint({ kind: 'assembly', name }))
    const made = new Assembly({
      model,
      plan,
      input: new Prompt(input.prompt, input.plan, this.#artefacts.library, this.#sets, identify, this.#tools),
      document: document && new Prompt(document.prompt, document.plan, this.#artefacts.library, this.#sets, identify, this.#tools),
      promptNamed: (prompt) => this.promptNamed(prompt),
      locale: localeOf(this.#artefacts.library.locale),
      identify,
    })
    this.#readyAssemblies.set(name, made)
    return made
  }

  /** What the values of a prompt or an assembly are checked by: the prompt itself, or one without turns. */
  inputOf(name: string): Prompt {
    if (!this.has(name)) throw new ProblemError([problem('prompt-unknown', { name, known: this.askableNames() })])
    return this.#artefacts.assemblies.has(name) ? this.assemblyNamed(name).input : this.promptNamed(name)
  }

  /**
   * Tells a sink of every rendering by `prompt.render`, and of every reply before it is given to its caller.
   *
   * @param sink - Called with each; undefined ends it.
   */
  audit(sink: AuditSink | undefined): void {
    this.#audit = sink
  }

  /** Whether nothing keeps a model from being asked for this prompt or assembly. */
  canAsk(name: string): boolean {
    if (!this.#artefacts.assemblies.has(name)) return this.canRender(name)
    const compiled = this.#compiledAssemblies.get(name)
    return compiled?.ready !== undefined && this.errorsOf({ kind: 'assembly', name }, compiled.problems).length === 0
  }

  /**
   * SHA-256 over an artefact with all that it draws on, in hexadecimal digits: the same on every machine, whatever the order of keys, the
   * comments and the line ends; different if any rendering could differ. Undefined for an unknown name.
   */
  fingerprint(member: Member): string | undefined {
    const artefact = artefactOf(this.#artefacts, member)
    if (!artefact) return undefined
    const shared = sharedOf(this.#artefacts.library)
    const orders = (name: string) => this.#compiled.get(name)?.ready?.plan.orders
    const beside =
      member.kind === 'prompt'
        ? { ...shared, orders: orders(member.name) }
        : member.kind === 'assembly'
          ? { ...shared, orders: this.#graph.uses(member).map(({ name }) => orders(name)) }
          : {}
    return fingerprintOf(member, this.#artefacts, this.#graph, { attachments: this.#attachments, tables: this.#tables }, beside)
  }

  /**
   * Tries values as further cases of a set: what each of them breaks, by its place in `values`. Those that break nothing could be in the
   * set together.
   */
  tryCases(name: string, values: readonly unknown[]): readonly (readonly Problem[])[] {
    const set = this.#sets.get(name)
    if (!set) throw new ProblemError([problem('use-unknown', { name, what: 'example set', known: [...this.#sets.keys()] })])
    const { model } = set
    const first = model.cases.length + 1
    const problems = values.map((): Problem[] => [])
    const cases = values.map((item, i) => {
      const number = first + i
      return { number, values: caseOf(item, number, model.fields, model.span, (p) => defined(problems[i]).push(p)), span: model.span }
    })
    const valid = cases.filter((_, i) => defined(problems[i]).length === 0)
    compileSet({ ...model, cases: [...model.cases, ...valid] }, this.#env, (p) => {
      const number = caseNumber(p)
      if (number !== undefined && number >= first) defined(problems[number - first]).push(p)
    })
    return problems
  }

  /**
   * A condition of the language over rows of such values, in order: for choosing rows of a table.
   *
   * @throws ProblemError where it cannot be read, or names what is not declared.
   */
  keep(condition: string | Condition, declared: readonly Declared[]): (row: readonly unknown[]) => boolean {
    return compileKeep(condition, declared, this.#env)
  }

  /**
   * A text of the language over rows of such values, in order: for naming records.
   *
   * @throws ProblemError where it names what is not declared.
   */
  words(text: Text, declared: readonly Declared[]): (row: readonly unknown[]) => string {
    return compileWords(text, declared, this.#env)
  }

  /** What keeps a prompt or an assembly from being used: errors of its own, and of the files of all that it draws on. */
  private errorsOf(member: Member, own: readonly Problem[]): Problem[] {
    const drawn = this.#graph.drawsOn(member)
    const files = new Set([member, ...drawn].map((other) => artefactOf(this.#artefacts, other)?.file.name))
    const ofPrompts = drawn.flatMap(({ kind, name }) =>
      member.kind === 'assembly' && kind === 'prompt' ? (this.#compiled.get(name)?.problems ?? []) : [],
    )
    return [...this.#filed.filter((p) => p.place !== undefined && files.has(p.place.file)), ...own, ...ofPrompts].filter(isError)
  }

  readonly #tools: AskTools
  #audit: AuditSink | undefined
}

interface Compiled {
  /** What joining and compiling this prompt found wrong: here, or in what it draws on. */
  readonly problems: readonly Problem[]
  readonly ready: { readonly prompt: JoinedPrompt; readonly plan: Plan } | undefined
}

interface CompiledAssembly {
  readonly problems: readonly Problem[]
  readonly ready: ReadyAssembly | undefined
}

function formatTable(own: readonly Format[]): ReadonlyMap<string, Format> {
  const table = new Map(FORMATS.map((format) => [format.name, format]))
  for (const format of own) {
    if (table.has(format.name)) throw new TypeError(`the format "${format.name}" exists already; choose another name`)
    table.set(format.name, format)
  }
  return table
}

/**
 * Makes a library of files in memory. Problems are collected in `problems`, never thrown.
 *
 * @param files - The text of each file, by its path in the library's folder.
 * @param options - Attached files, tables, a token counter, a validator.
 * @returns The checked library.
 * @example
 * libraryFrom({ 'prompts/hello.yaml': 'title: Hello\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]' }).prompt('hello').render({ who: 'Ines' }).turns[0].text // => 'Good day, Ines.'
 */
export function libraryFrom(files: Readonly<Record<string, string>>, options: LibraryOptions = {}): Library {
  const problems: Problem[] = []
  const artefacts = readLibraryFiles(files, (p) => problems.push(p), options.cache)
  return new Library(artefacts, problems, options)
}
