import { reportMentions } from './mentions.js'
import { defined } from '../invariant.js'
import type { ExampleSetModel, JoinedPrompt, SnippetModel, Named } from '../artefacts/artefacts.js'
import { compileValueText, type Context, type Shared } from './context.js'
import { prepareSet, type PreparedSet } from './example-set.js'
import { compileOutput } from './output.js'
import { chosenText, possibleTexts } from './possible.js'
import { Scope, type Binding, variableBinding } from './scope.js'
import type { Compilation, CompileEnv } from './env.js'
import { compileSpecial } from './special.js'
import { compileText } from './text.js'
import { compileTurns } from './turns.js'
import { problem, type Problem, type Report } from '../problems/problem.js'
import { captured } from '../render/capture.js'
import type { Draws, FormPlan, PersonalPlan, Plan } from '../render/plan.js'
import type { Get, Op, Run } from '../render/run.js'
import type { Text, Use } from '../text/nodes.js'
import { readCell } from '../values/cells.js'
import { columnsOf } from '../outputs/columns.js'
import { localeOf } from '../values/locale.js'
import type { Declared, ValueType } from '../values/types.js'

/** Compiles a prompt whose base has been joined to it. All faults are reported; the plan is then not to be used. */
export function compilePrompt(prompt: JoinedPrompt, shelves: CompileEnv, report: Report): Plan {
  return new PromptCompiler(prompt, shelves, report).compile()
}

/**
 * Compiles a snippet by itself, with its variables as declared: faults of its own are found even where nothing uses it. With `withUsed`, the
 * snippets that it uses are compiled too. A snippet that another one uses does not need this: it is compiled again with that one.
 */
export function checkSnippet(
  snippet: SnippetModel,
  shelves: CompileEnv,
  report: Report,
  { withUsed }: { readonly withUsed: boolean },
): void {
  const bindings = snippet.variables.map((d) => variableBinding(d, () => null))
  const shared = { ...sharedFor(shelves, report, () => () => undefined), leavesUsed: !withUsed }
  compileText(snippet.text, { ...contextFor(bindings, shared), kind: 'snippet', place: snippet.name }, false)
  reportUnused(bindings, report)
}

/** Compiles an example set by itself and writes its cases: faults of its own are found even where nothing uses it. */
export function compileSet(set: ExampleSetModel, shelves: CompileEnv, report: Report): PreparedSet {
  return prepareSet(set, shelves, standaloneContext([], shelves, report), report)
}

/** The environment of a text that belongs to no prompt: its names, and nothing around them. */
export function standaloneContext(bindings: readonly Binding[], shelves: CompileEnv, report: Report): Context {
  return contextFor(
    bindings,
    sharedFor(shelves, report, () => () => undefined),
  )
}

function sharedFor(shelves: CompileEnv, report: Report, special: (use: Use, context: Context) => Op | undefined): Shared {
  const { snippets } = shelves
  return {
    report,
    formats: shelves.formats,
    artefacts: { snippet: (name) => snippets.get(name), snippetNames: [...snippets.keys()], special },
    leavesUsed: false,
    locals: 0,
    uses: 0,
    varying: 0,
    draws: { variables: new Set(), more: false },
    fences: new Set(),
    untrusted: false,
    mentions: [],
    orders: new Set(),
    openEnd: false,
  }
}

function contextFor(bindings: readonly Binding[], shared: Shared): Context {
  return { scope: new Scope(bindings), role: 'user', kind: 'fixed', via: undefined, depth: 0, blocks: 0, place: '', shared }
}

function reportUnused(bindings: readonly Binding[], report: Report): void {
  for (const b of bindings) if (!b.used.yes) report(problem('variable-unused', { name: b.name }, b.span))
}

class PromptCompiler implements Compilation {
  readonly context: Context
  readonly personaNames: string[] | undefined
  readonly outputNames: string[] | undefined
  readonly forms: ReadonlyMap<string, FormPlan>
  readonly otherForms: Problem[] = []
  asksForOutput = false
  private readonly bindings: Binding[]

  constructor(
    readonly prompt: JoinedPrompt,
    readonly env: CompileEnv,
    readonly report: Report,
  ) {
    const shared = sharedFor(env, report, (use, context) => compileSpecial(use, context, this))
    this.bindings = prompt.variables.map((d, i) => ({ ...variableBinding(d, (run) => run.values[i]), variable: i }))
    const free = contextFor(this.bindings, shared)
    const bound = prompt.bind.map(({ declared, text }) => this.boundBinding(declared, text, free))
    this.context = contextFor([...this.bindings, ...bound], shared)
    this.personaNames = this.namesOf(prompt.persona, env.personas, 'persona')
    this.outputNames = this.namesOf(prompt.output, env.outputs, 'output')
    this.forms = this.compileForms()
  }

  compile(): Plan {
    const { prompt, env, context } = this
    const { shared } = context
    const draws: Draws = (shared.draws = { variables: new Set(), more: false })
    const persona = this.chooser(prompt.persona, this.personaNames, env.personas, 'persona')
    const output = this.chooser(prompt.output, this.outputNames, this.forms, 'output')
    const locale = this.locale()
    shared.draws = { variables: new Set(), more: false }
    const turns = compileTurns(prompt.turns, this, context, prompt.name)
    if (this.asksForOutput) for (const p of this.otherForms) this.report(p)
    reportUnused(this.bindings, this.report)
    this.placesOf(prompt.onlyMentioned)
    reportMentions(prompt, shared.fences, this.report)
    for (const { name, span } of shared.mentions)
      if (!shared.fences.has(name)) this.report(problem('fence-unknown', { name, known: [...shared.fences] }, span))
    return {
      variables: prompt.variables,
      bound: new Set(prompt.bind.map((b) => b.declared.name)),
      turns,
      guarded: shared.fences.size > 0,
      nonce: env.nonce,
      openEnd: shared.openEnd,
      personal: { detectorFor: env.detectorFor, paths: this.placesOf(prompt.personal) },
      orders: [...shared.orders].sort(),
      persona,
      output,
      chosenBy: draws,
      forms: this.forms,
      answerColumns: columnsOf([...this.forms.values()].map((form) => form.outline.shape)),
      locale,
    }
  }

  /** The places of the values that a list of the prompt's names, `item.donor`; what does not exist is reported. */
  private placesOf(paths: readonly Named[]): PersonalPlan['paths'] {
    const { variables } = this.prompt
    return paths.flatMap(({ name: path, span }) => {
      const [name = '', ...fields] = path.split('.')
      const variable = variables.findIndex((d) => d.name === name)
      const declared = variables[variable]
      if (!declared) {
        this.report(problem('name-unknown', { name, known: variables.map((d) => d.name) }, span))
        return []
      }
      let type: ValueType = declared.type
      let of = name
      for (const field of fields) {
        while (type.kind === 'list') type = type.item
        const known = type.kind === 'record' || type.kind === 'table' ? type.fields : undefined
        if (type.kind === 'record' && !known) break
        const next = known?.find((d) => d.name === field)
        if (!next) {
          this.report(problem('field-unknown', { name: field, of, known: known?.map((d) => d.name) ?? [] }, span))
          return []
        }
        type = next.type
        of = field
      }
      return [{ variable, fields, kind: fields.at(-1) ?? name }]
    })
  }

  /** The forms of its answers, for reading them: the instructions for a model are compiled where they are used. */
  private compileForms(): Map<string, FormPlan> {
    const { prompt, env, outputNames } = this
    const names = prompt.output ? (outputNames ?? [...env.outputs.keys()]) : []
    const forms = new Map<string, FormPlan>()
    for (const name of names) {
      const output = env.outputs.get(name)
      if (!output) continue
      const faults: Problem[] = []
      const shared = { ...this.context.shared, report: (p: Problem) => faults.push(p) }
      const form = compileOutput(output, { ...this.context, role: 'assistant', shared }, env, output.span)
      // If only a rendering determines the output, those that this prompt cannot fill are not among them.
      if (outputNames || faults.length === 0) forms.set(name, form)
      if (outputNames) for (const fault of faults) this.report(fault)
    }
    return forms
  }

  /** Which persona or output a rendering has. */
  private chooser(text: Text | undefined, names: string[] | undefined, known: ReadonlyMap<string, unknown>, what: string) {
    if (!text) return undefined
    if (names?.length === 1) return () => defined(names[0])
    const chosen = names && chosenText(text, this.context)
    if (chosen) return chosen
    const op = this.textOp(text)
    return (run: Run) => {
      const name = captured(op, run).trim()
      return known.has(name) || name === ''
        ? name
        : run.fail(problem('persona-unknown', { name, known: [...known.keys()], what }, text.source.span(0, text.source.text.length)))
    }
  }

  private textOp(text: Text): Op {
    return compileText(text, { ...this.context, role: 'assistant' }, true)
  }

  /** A bound variable's text, read like a cell where the variable is no text. */
  private boundBinding(declared: Declared, text: Text, context: Context): Binding {
    const {
      compiled: op,
      holdsFences,
      untrusted,
    } = compileValueText(context.shared, () => compileText(text, { ...context, role: 'assistant' }, true))
    const fixed = possibleTexts(text, context.scope)
    if (fixed && declared.type.kind !== 'text') {
      for (const item of fixed)
        readCell(item, declared.type, undefined, (expected) =>
          this.report(
            problem(
              'bind-invalid',
              { name: declared.name, why: `"${item}" is not ${expected}` },
              text.source.span(0, text.source.text.length),
            ),
          ),
        )
    }
    const get: Get = (run) => {
      const written = captured(op, run)
      if (declared.type.kind === 'text') return written
      return readCell(written, declared.type, undefined, (expected) =>
        run.fail(problem('value-invalid', { path: declared.name, expected, found: `"${written}"` })),
      )
    }
    return {
      ...variableBinding(declared, get),
      bound: true,
      optional: false,
      span: undefined,
      untrusted: declared.untrusted || untrusted,
      ...(holdsFences && { inline: op }),
    }
  }

  private locale(): Plan['locale'] {
    const text = this.prompt.locale
    if (!text) return undefined
    const span = text.source.span(0, text.source.text.length)
    for (const name of possibleTexts(text, this.context.scope) ?? [])
      if (!localeOf(name)) this.report(problem('locale-unknown', { name }, span))
    const op = this.textOp(text)
    return (run) => {
      const name = captured(op, run).trim()
      return localeOf(name) ?? run.fail(problem('locale-unknown', { name }, span))
    }
  }

  /** The possible names of a text, each checked; undefined if only a rendering determines it. */
  private namesOf(text: Text | undefined, known: ReadonlyMap<string, unknown>, what: string): string[] | undefined {
    const names = text && possibleTexts(text, this.context.scope)
    for (const name of names ?? []) {
      if (!known.has(name))
        this.report(
          problem('use-unknown', { name, what, known: [...known.keys()] }, defined(text).source.span(0, defined(text).source.text.length)),
        )
    }
    return names
  }
}
