import type {
  AskTurn,
  JoinedPrompt,
  ExampleSetModel,
  ExamplesTurn,
  HistoryTurn,
  OutputModel,
  PersonaModel,
  Role,
  SnippetModel,
  TextTurn,
} from '../artefacts/artefacts.js'
import { PERSONA_VARIABLES } from '../artefacts/persona.js'
import { onceWhereConstant } from './constant.js'
import { descent, type Context, type Shared } from './context.js'
import { compileGiven } from './given.js'
import { chosenText, possibleTexts } from './possible.js'
import { Scope, type Binding } from './scope.js'
import { compileText } from './text.js'
import { instruct, readLabel } from '../outputs/one-of.js'
import { problem, ProblemError, type Report } from '../problems/problem.js'
import { captured } from '../render/capture.js'
import { emptyRun } from '../render/choose.js'
import type { Plan, TurnPlan } from '../render/plan.js'
import type { Get, Op, Run } from '../render/run.js'

import type { Span } from '../source/source.js'
import type { SlotValue, Text, Use } from '../text/nodes.js'
import { fits } from '../values/fits.js'
import type { Format } from '../values/formats/format.js'
import { localeOf } from '../values/locale.js'
import { isName } from '../values/names.js'
import { describe, type Declared } from '../values/types.js'
import { readCell } from '../values/cells.js'

/** What a prompt may draw on. */
export interface Shelves {
  readonly snippets: ReadonlyMap<string, SnippetModel>
  readonly personas: ReadonlyMap<string, PersonaModel>
  readonly examples: ReadonlyMap<string, ExampleSetModel>
  readonly outputs: ReadonlyMap<string, OutputModel>
  readonly formats: ReadonlyMap<string, Format>
}

export function variableBinding(d: Declared, get: Get, path: Binding['path'] = [d.name]): Binding {
  return {
    name: d.name,
    type: d.type,
    optional: d.optional && d.default === undefined,
    outside: d.outside,
    get,
    path,
    span: d.span,
    used: { yes: false },
    loop: false,
  }
}

/** Compiles a prompt whose base has been joined to it. All faults are reported; the plan is then not to be used. */
export function compilePrompt(prompt: JoinedPrompt, shelves: Shelves, report: Report): Plan {
  return new PromptCompiler(prompt, shelves, report).compile()
}

/** Compiles a snippet by itself, with its variables as declared: faults of its own are found even where nothing uses it. */
export function checkSnippet(snippet: SnippetModel, shelves: Shelves, report: Report): void {
  const bindings = snippet.variables.map((d) => variableBinding(d, () => null))
  const shared = sharedFor(shelves, report, () => () => undefined)
  compileText(snippet.text, { ...contextFor(bindings, shared), kind: 'snippet', place: snippet.name }, false)
  reportUnused(bindings, report)
}

function sharedFor(shelves: Shelves, report: Report, special: (use: Use, context: Context) => Op | undefined): Shared {
  const { snippets } = shelves
  return {
    report,
    formats: shelves.formats,
    artefacts: { snippet: (name) => snippets.get(name), snippetNames: [...snippets.keys()], special },
    locals: 0,
    uses: 0,
    varying: 0,
    fenced: false,
    openEnd: false,
  }
}

function contextFor(bindings: readonly Binding[], shared: Shared): Context {
  return { scope: new Scope(bindings), role: 'user', kind: 'fixed', via: undefined, depth: 0, blocks: 0, place: '', shared }
}

function reportUnused(bindings: readonly Binding[], report: Report): void {
  for (const b of bindings) if (!b.used.yes) report(problem('variable-unused', { name: b.name }, b.span))
}

class PromptCompiler {
  private readonly shared: Shared
  private readonly bindings: Binding[]
  private readonly context: Context
  private readonly personaNames: string[] | undefined
  private readonly outputNames: string[] | undefined

  constructor(
    private readonly prompt: JoinedPrompt,
    private readonly shelves: Shelves,
    private readonly report: Report,
  ) {
    this.shared = sharedFor(shelves, report, (use, context) => this.special(use, context))
    this.bindings = prompt.variables.map((d, i) => ({ ...variableBinding(d, (run) => run.values[i]), variable: i }))
    const free = contextFor(this.bindings, this.shared)
    const bound = prompt.bind.map(({ declared, text }) => this.boundBinding(declared, text, free))
    this.context = contextFor([...this.bindings, ...bound], this.shared)
    this.personaNames = this.namesOf(prompt.persona, shelves.personas, 'persona')
    this.outputNames = this.namesOf(prompt.output, shelves.outputs, 'output')
  }

  compile(): Plan {
    const { prompt, shared } = this
    const chooser = (text: Text | undefined, names: string[] | undefined, known: ReadonlyMap<string, unknown>, what: string) => {
      if (!text) return undefined
      if (names?.length === 1) return () => names[0]!
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
    const persona = chooser(prompt.persona, this.personaNames, this.shelves.personas, 'persona')
    const output = chooser(prompt.output, this.outputNames, this.shelves.outputs, 'output')
    const locale = this.locale()
    const turns = prompt.turns.flatMap((turn, i) => {
      const context = { ...this.context, place: `${prompt.name}#${i + 1}` }
      switch (turn.kind) {
        case 'text':
          return [this.textTurn(turn, context)]
        case 'history':
          return this.history(turn)
        case 'examples':
          return this.examples(turn, context)
        case 'ask':
          return this.ask(turn, context)
      }
    })
    reportUnused(this.bindings, this.report)
    return {
      variables: prompt.variables,
      bound: new Set(prompt.bind.map((b) => b.declared.name)),
      turns,
      guarded: shared.fenced,
      openEnd: shared.openEnd,
      persona,
      output,
      locale,
    }
  }

  private textTurn(turn: TextTurn, context: Context): TurnPlan {
    return {
      kind: 'text',
      role: turn.role,
      name: turn.name,
      op: compileText(turn.text, { ...context, role: turn.role }, true),
      span: turn.span,
    }
  }

  private textOp(text: Text): Op {
    return compileText(text, { ...this.context, role: 'assistant' }, true)
  }

  /** A bound variable's text, read like a cell where the variable is no text. */
  private boundBinding(declared: Declared, text: Text, context: Context): Binding {
    const op = compileText(text, { ...context, role: 'assistant' }, true)
    const fixed = possibleTexts(text, context.scope)
    if (fixed && declared.type.kind !== 'text') {
      for (const one of fixed)
        readCell(one, declared.type, undefined, (expected) =>
          this.report(
            problem(
              'bind-unfit',
              { name: declared.name, why: `"${one}" is not ${expected}` },
              text.source.span(0, text.source.text.length),
            ),
          ),
        )
    }
    const get: Get = (run) => {
      const written = captured(op, run)
      if (declared.type.kind === 'text') return written
      return readCell(written, declared.type, undefined, (expected) =>
        run.fail(problem('value-unfit', { path: declared.name, expected, found: `"${written}"` })),
      )
    }
    return {
      ...variableBinding(declared, get),
      optional: false,
      span: undefined,
      outside: declared.outside || writesOutside(text, context),
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

  /** The names that a text can come out as, each checked; undefined where only rendering tells. */
  private namesOf(text: Text | undefined, known: ReadonlyMap<string, unknown>, what: string): string[] | undefined {
    const names = text && possibleTexts(text, this.context.scope)
    for (const name of names ?? []) {
      if (!known.has(name))
        this.report(problem('use-unknown', { name, what, known: [...known.keys()] }, text!.source.span(0, text!.source.text.length)))
    }
    return names
  }

  // ------------------------------------------------------------------ use persona, output, examples

  private special(use: Use, context: Context): Op | undefined {
    switch (use.what) {
      case 'persona':
        return this.usePersona(use, context)
      case 'output':
        return this.useOutput(use, context)
      default:
        return this.useExamples(use, context)
    }
  }

  private usePersona(use: Use, context: Context): Op | undefined {
    const { personas } = this.shelves
    const named = use.steps.length > 0 ? use.steps.map((step) => (typeof step === 'string' ? step : '')).join('/') : undefined
    if (named !== undefined && !personas.has(named)) {
      this.report(problem('use-unknown', { name: named, what: 'persona', known: [...personas.keys()] }, use.nameSpan))
      return undefined
    }
    if (named === undefined && !this.prompt.persona) {
      this.report(problem('use-nothing', { what: 'persona' }, use.head))
      return undefined
    }
    const names = named !== undefined ? [named] : (this.personaNames ?? [...personas.keys()])
    const ops = new Map(names.filter((name) => personas.has(name)).map((name) => [name, this.personaOp(personas.get(name)!, use, context)]))
    return named !== undefined ? ops.get(named) : (run) => ops.get(run.persona)?.(run)
  }

  private personaOp(persona: PersonaModel, use: Use, context: Context): Op {
    const traits: Record<string, unknown> = { who: persona.who, ...persona.traits }
    const bindings = PERSONA_VARIABLES.map((d) => ({ ...variableBinding(d, () => traits[d.name], ['persona', d.name]), constant: true }))
    const via = { what: 'persona' as const, name: persona.name, span: use.head, outer: context.via }
    const within: Context = { ...context, scope: new Scope(bindings), kind: 'persona', via, place: persona.name }
    return onceWhereConstant(this.shared, () => compileText(persona.layout, within, true))
  }

  private useOutput(use: Use, context: Context): Op | undefined {
    if (!this.prompt.output) {
      this.report(problem('use-nothing', { what: 'output' }, use.head))
      return undefined
    }
    const { outputs } = this.shelves
    const texts = new Map(
      [...outputs.values()]
        .filter((output) => output.of.length > 0)
        .map((output) => {
          const via = { what: 'output' as const, name: output.name, span: use.head, outer: context.via }
          return [output.name, { text: instruct(output), from: descent({ ...context, kind: 'output', via }, output.span) }]
        }),
    )
    return (run) => {
      const found = texts.get(run.output)
      if (found) run.write(found.text, found.from)
    }
  }

  private useExamples(use: Use, context: Context): Op | undefined {
    const name = use.steps.map((step) => (typeof step === 'string' ? step : '')).join('/')
    const set = this.exampleSet({ name, span: use.nameSpan })
    if (!set) return undefined
    if (use.with.length > 0) this.report(problem('not-here-yet', { what: '"to" of an example set' }, use.with[0]!.name.span))
    const { ask, answer } = this.caseOps(set, context, use.head, context.role)
    const between = descent({ ...context, kind: 'example' }, use.head, { kind: 'made' })
    return (run) => {
      set.cases.forEach((one, i) => {
        run.example = caseValues(set, one.values)
        if (i > 0) run.write('\n\n', between)
        ask(run)
        run.write('\n', between)
        answer(run)
      })
    }
  }

  // ------------------------------------------------------------------ turns that become several

  private history(turn: HistoryTurn): TurnPlan[] {
    const binding = this.context.scope.find(turn.from.name)
    if (!binding) {
      this.report(problem('name-unknown', { name: turn.from.name, known: this.context.scope.names() }, turn.from.span))
      return []
    }
    binding.used.yes = true
    if (binding.type.kind !== 'turns') {
      this.report(problem('history-unfit', { name: turn.from.name, type: describe(binding.type) }, turn.from.span))
      return []
    }
    const fence = turn.fence?.name
    if (binding.outside && fence === undefined) this.report(problem('history-unfenced', { name: turn.from.name }, turn.from.span))
    if (fence !== undefined && !isName(fence)) this.report(problem('fence-tag-unfit', { tag: fence }, turn.fence!.span))
    if (fence !== undefined) this.shared.fenced = true
    const value = descent(this.context, turn.from.span, { kind: 'value', given: true, path: [turn.from.name] })
    const made = descent(this.context, turn.span, { kind: 'made' })
    return [{ kind: 'history', get: binding.get, fence, user: value, made, assistant: value, span: turn.span }]
  }

  private examples(turn: ExamplesTurn, context: Context): TurnPlan[] {
    const set = this.exampleSet(turn.set)
    if (!set) return []
    const { ask, answer } = this.caseOps(set, context, turn.set.span, 'user')
    const asked = this.prompt.turns.find((other): other is AskTurn => other.kind === 'ask' && other.set.name === turn.set.name)
    const [livePlan] = asked ? this.ask(asked, context, () => undefined) : []
    const live = livePlan?.kind === 'text' ? livePlan.op : undefined
    return [{ kind: 'examples', cases: set.cases.map((one) => caseValues(set, one.values)), ask, answer, live, span: turn.span }]
  }

  private exampleSet(named: { name: string; span: Span }): ExampleSetModel | undefined {
    const { examples } = this.shelves
    const set = examples.get(named.name)
    if (!set) this.report(problem('use-unknown', { name: named.name, what: 'example set', known: [...examples.keys()] }, named.span))
    return set
  }

  /** The two sides of a case, and every case's answer tried against the prompt's output. */
  private caseOps(set: ExampleSetModel, context: Context, span: Span, role: Role): { ask: Op; answer: Op } {
    const bindings = set.fields.map((d, i) => variableBinding(d, (run) => run.example[i], [d.name]))
    const via = { what: 'example' as const, name: set.name, span, outer: context.via }
    const within: Context = { ...context, scope: new Scope(bindings), kind: 'example', via, place: set.name }
    const ask = compileText(set.ask, { ...within, role }, true)
    const answer = compileText(set.answer, { ...within, role: role === 'user' ? 'assistant' : role }, true)
    return { ask, answer: this.checkedAnswer(set, answer) }
  }

  private checkedAnswer(set: ExampleSetModel, answer: Op): Op {
    for (const name of this.outputNames ?? []) {
      const output = this.shelves.outputs.get(name)
      if (!output || output.of.length === 0) continue
      for (const one of set.cases) {
        const text = writeAlone(answer, caseValues(set, one.values))
        if (text !== undefined && readLabel(output, text) === undefined)
          this.report(
            problem(
              'case-unreadable',
              { number: one.number, answer: text, output: name, why: `it names none of ${output.of.join(', ')}` },
              one.span,
            ),
          )
      }
    }
    return answer
  }

  /** The set's ask side with this prompt's values: those of `with`, else the prompt's variable of the field's name. */
  private ask(turn: AskTurn, context: Context, report: Report = this.report): TurnPlan[] {
    const set = this.shelves.examples.get(turn.set.name)
    if (!set) {
      report(problem('use-unknown', { name: turn.set.name, what: 'example set', known: [...this.shelves.examples.keys()] }, turn.set.span))
      return []
    }
    const bindings: Binding[] = []
    for (const given of turn.with)
      if (!set.fields.some((f) => f.name === given.name))
        report(problem('with-unknown', { name: given.name, of: set.name, known: set.fields.map((f) => f.name) }, given.span))
    for (const field of set.fields) {
      const given = turn.with.find((w) => w.name === field.name)
      const value = given ? this.askValue(given.text, context) : context.scope.find(field.name)
      if (!value) continue
      if ('used' in value) value.used.yes = true
      if (!fits(value.type, field.type) && value.type.kind !== 'any')
        report(
          problem(
            'with-unfit',
            { name: field.name, of: set.name, expected: describe(field.type), found: describe(value.type) },
            given?.span ?? turn.span,
          ),
        )
      bindings.push({
        ...variableBinding(field, value.get, value.path),
        type: value.type,
        optional: value.optional,
        outside: field.outside || value.outside,
      })
    }
    const via = { what: 'example' as const, name: set.name, span: turn.set.span, outer: context.via }
    const within: Context = { ...context, scope: new Scope(bindings), role: 'user', kind: 'example', via, place: set.name }
    return [
      {
        kind: 'text',
        role: 'user',
        name: turn.name,
        op: compileText(set.ask, { ...within, shared: { ...this.shared, report } }, true),
        span: turn.span,
      },
    ]
  }

  /** A text of one slot hands its value on as it is; any other text is written first. */
  private askValue(text: Text, context: Context) {
    const value = onlySlot(text)
    if (value) return compileGiven(value, context)
    const op = compileText(text, { ...context, role: 'assistant' }, true)
    return {
      type: { kind: 'text' as const },
      optional: false,
      outside: writesOutside(text, context),
      get: (run: Run) => captured(op, run),
      path: [],
    }
  }
}

/** Whether a text writes free text from outside: the mark goes on to what the text is bound to. */
function writesOutside(text: Text, context: Context): boolean {
  let found = false
  const report: Report = (p) => {
    if (p.code === 'outside-unfenced') found = true
  }
  compileText(text, { ...context, role: 'user', shared: { ...context.shared, report } }, true)
  return found
}

function onlySlot(text: Text): SlotValue | undefined {
  const [line] = text.items
  if (text.items.length !== 1 || line?.kind !== 'line' || line.pieces.length !== 1) return undefined
  const [piece] = line.pieces
  return piece?.kind === 'slot' ? piece.value : undefined
}

function caseValues(set: ExampleSetModel, values: Readonly<Record<string, unknown>>): unknown[] {
  return set.fields.map((field) => values[field.name])
}

/** A case's answer outside any rendering; undefined where it needs one. */
function writeAlone(op: Op, example: readonly unknown[]): string | undefined {
  const run = emptyRun()
  run.example = example
  try {
    op(run)
    return run.out
  } catch (fault) {
    if (fault instanceof ProblemError) return undefined
    throw fault
  }
}
