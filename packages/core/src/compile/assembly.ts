import { compileCondition } from './condition.js'
import type { Context } from './context.js'
import type { CompileEnv } from './env.js'
import { openLoop, type Loop } from './loop.js'
import { standaloneContext } from './prompt.js'
import { variableBinding, type Binding } from './scope.js'
import { bindAll } from './use.js'
import { compileValue } from './value.js'
import type { AssemblyModel, Named, PartModel } from '../artefacts/artefacts.js'
import { answerTypeOf } from '../outputs/answer-type.js'
import { problem, type Problem, type Report } from '../problems/problem.js'
import type { Plan } from '../render/plan.js'
import type { Get, Test } from '../render/run.js'
import { accept, topLevel } from '../values/accept.js'
import { fits } from '../values/fits.js'
import { describe, isFreeText, type Declared, type ValueType } from '../values/types.js'

/** A prompt's values, as gets over a run whose values are those of the assembly, then the parts' answers. */
export interface PlannedCall {
  readonly prompt: string
  readonly values: readonly { readonly name: string; readonly get: Get }[]
}

/** A part, ready to be asked. */
export interface PartPlan {
  readonly model: PartModel
  readonly call: PlannedCall
  /** The prompt that scores candidates, and the field of its answer that is the score. */
  readonly judge: (PlannedCall & { readonly score: string }) | undefined
  /** The parts whose answers it uses. */
  readonly needs: readonly string[]
  /** For a part that is asked for every item of a list. */
  readonly each: { readonly loop: Loop; readonly item: string } | undefined
  readonly when: Test | undefined
  readonly otherwise: Get | undefined
  /** What its answer is for other parts and for the document; for `each` a list of records. */
  readonly declared: Declared
}

/** An assembly, ready to be asked: its parts in an order in which each comes after those that it uses. */
export interface AssemblyPlan {
  readonly parts: readonly PartPlan[]
  /** The variables that some part uses. */
  readonly used: ReadonlySet<string>
}

/** What the document, and tools that complete names, see of the parts' answers, even while some of the assembly is wrong. */
export function declaredParts(assembly: AssemblyModel, plans: ReadonlyMap<string, Plan | undefined>, env: CompileEnv): readonly Declared[] {
  const compiler = new AssemblyCompiler(assembly, plans, env, () => undefined)
  return assembly.parts.map(({ name }) => compiler.declarationNow(name))
}

/** Compiles the parts of an assembly. `plans` has the prompts that can be rendered. Undefined where an error was reported. */
export function compileAssembly(
  assembly: AssemblyModel,
  plans: ReadonlyMap<string, Plan | undefined>,
  env: CompileEnv,
  report: Report,
): AssemblyPlan | undefined {
  const errors: Problem[] = []
  const hear: Report = (p) => {
    if (p.severity === 'error') errors.push(p)
    report(p)
  }
  const compiler = new AssemblyCompiler(assembly, plans, env, hear)
  const plan = compiler.compile()
  return errors.length > 0 ? undefined : plan
}

/** The column of the finished document: no part can be called so. */
export const DOCUMENT = 'document'

class AssemblyCompiler {
  private readonly declared: ReadonlyMap<string, Declared>
  private readonly used = new Set<string>()

  constructor(
    private readonly assembly: AssemblyModel,
    private readonly plans: ReadonlyMap<string, Plan | undefined>,
    private readonly env: CompileEnv,
    private readonly report: Report,
  ) {
    const known = new Map<string, Named>(assembly.variables.map((d) => [d.name, { name: d.name, span: d.span ?? assembly.span }]))
    for (const part of assembly.parts) {
      const other = known.get(part.name) ?? (part.name === DOCUMENT ? { span: assembly.span } : undefined)
      if (other) report(problem('part-name-taken', { name: part.name }, part.span, [{ message: 'declared here', span: other.span }]))
      known.set(part.name, part)
    }
    this.declared = new Map(assembly.parts.map((part) => [part.name, this.declarationOf(part)]))
  }

  compile(): AssemblyPlan | undefined {
    const parts = this.assembly.parts.flatMap((part) => this.part(part) ?? [])
    const ordered = this.ordered(parts)
    return ordered && parts.length === this.assembly.parts.length ? { parts: ordered, used: this.used } : undefined
  }

  /** The answer of a part as a declared value: untrusted, as every answer of a model is. */
  private declarationOf({ name, prompt, each, when, otherwise }: PartModel): Declared {
    const answer = this.answerType(prompt.name)
    const isOptional = when !== undefined && otherwise === undefined
    const item: Declared[] = each
      ? [
          { name: each.name.name, type: { kind: 'any' }, optional: true, untrusted: true, span: undefined },
          { name: 'answer', type: answer, optional: isOptional, untrusted: true, span: undefined },
        ]
      : []
    const type: ValueType = each ? { kind: 'list', item: { kind: 'record', fields: item } } : answer
    return { name, type, optional: !each && isOptional, untrusted: !each, span: undefined }
  }

  private answerType(prompt: string): ValueType {
    const plan = this.plans.get(prompt)
    return answerTypeOf([...(plan?.forms.values() ?? [])].map(({ outline }) => outline.shape))
  }

  private part(part: PartModel): PartPlan | undefined {
    const { each, when, otherwise, choose, candidates } = part
    const { bindings, context: outer } = this.contextFor((name) => name !== part.name)
    const faults: Problem[] = []
    const report: Report = (p) => {
      faults.push(p)
      this.report(p)
    }
    const opened = each && { item: each.name.name, ...openLoop(each, { ...outer, shared: { ...outer.shared, report } }) }
    if (faults.length > 0) return undefined
    const context = opened ? { ...opened.within, shared: outer.shared } : outer
    if (opened) this.setItemType(part.name, context.scope.find(opened.item))
    const plan = this.planOf(part.prompt)
    const test = when?.condition && compileCondition(when.condition, context)
    const instead = otherwise && compileValue(otherwise, context)
    if (instead && plan && instead.type.kind !== 'any' && !fits(instead.type, this.answerType(part.prompt.name)))
      this.report(
        problem(
          'part-otherwise',
          { part: part.name, answer: describeAnswer(this.answerType(part.prompt.name)), found: describeAnswer(instead.type) },
          otherwise.span,
        ),
      )
    const call = plan && this.call(part, part.prompt, plan, context)
    if (part.distinct && candidates === 1) this.report(problem('part-key-unused', { key: 'distinct' }, part.span))
    if (typeof choose !== 'string' && candidates === 1) this.report(problem('part-key-unused', { key: 'choose' }, part.span))
    // What scores a candidate gets it under the name of its part.
    const judge = typeof choose === 'string' ? undefined : this.judge(part, choose.prompt, context)
    const needs = bindings.flatMap(({ name, used, variable }) => (used.yes && variable === undefined ? [name] : []))
    for (const { name, used, variable } of bindings) if (used.yes && variable !== undefined) this.used.add(name)
    if (!call) return undefined
    return {
      model: part,
      call,
      judge,
      needs: [...new Set(needs)],
      each: opened,
      when: test,
      otherwise: instead?.get,
      declared: this.declarationNow(part.name),
    }
  }

  private judge(part: PartModel, prompt: Named, within: Context): PartPlan['judge'] {
    const plan = this.planOf(prompt)
    if (!plan) return undefined
    const type = this.answerType(prompt.name)
    const scores = type.kind === 'record' ? (type.fields ?? []).filter((field) => field.type.kind === 'integer') : []
    const [score, another] = scores
    if (!score || another || score.optional) {
      this.report(problem('part-score-missing', { prompt: prompt.name }, prompt.span))
      return undefined
    }
    const candidate = this.answerBinding({
      ...this.declarationNow(part.name),
      type: this.answerType(part.prompt.name),
      untrusted: true,
      optional: false,
    })
    const context = { ...within, scope: within.scope.with(candidate) }
    const call = this.call({ ...part, with: [], set: [] }, prompt, plan, context)
    if (!candidate.used.yes) this.report(problem('part-score-blind', { prompt: prompt.name, part: part.name }, prompt.span))
    return { ...call, score: score.name }
  }

  private planOf({ name, span }: Named): Plan | undefined {
    if (!this.plans.has(name)) this.report(problem('use-unknown', { name, what: 'prompt', known: [...this.plans.keys()] }, span))
    return this.plans.get(name)
  }

  /** The values of a part's prompt: constants, `with`, what has the same name, defaults. */
  private call(part: PartModel, prompt: Named, plan: Plan, context: Context): PlannedCall {
    const constants = new Map(part.set.map((item) => [item.name, item]))
    for (const { name, span, value } of part.set) {
      const declared = plan.variables.find((d) => d.name === name)
      if (!declared)
        this.report(problem('with-unknown', { name, of: prompt.name, known: plan.variables.map((d) => d.name), what: 'prompt' }, span))
      else accept(value, declared, topLevel(name), (p) => this.report(problem('set-invalid', { name, why: p.message, fix: p.hint }, span)))
    }
    const open = plan.variables.filter((d) => !constants.has(d.name))
    const bindings = bindAll({ what: 'prompt', name: prompt.name, given: part.with, span: prompt.span }, open, context)
    bindings.forEach((binding, i) => {
      const d = open[i]
      const place = d && unfenced(binding, d)
      if (place !== undefined) this.report(problem('part-untrusted', { path: place, prompt: prompt.name }, prompt.span))
    })
    const values = [...bindings.map(({ name, get }) => ({ name, get })), ...part.set.map(({ name, value }) => ({ name, get: () => value }))]
    return { prompt: prompt.name, values }
  }

  private contextFor(sees: (part: string) => boolean): { bindings: Binding[]; context: Context } {
    const { variables } = this.assembly
    const bindings = [
      ...variables.map((d, i) => ({ ...variableBinding(d, (run) => run.values[i]), variable: i })),
      ...[...this.declared.values()].filter(({ name }) => sees(name)).map((d) => this.answerBinding(this.declarationNow(d.name))),
    ]
    return { bindings, context: standaloneContext(bindings, this.env, this.report) }
  }

  private answerBinding(d: Declared): Binding {
    const index = this.assembly.variables.length + [...this.declared.keys()].indexOf(d.name)
    return variableBinding(d, (run) => run.values[index])
  }

  private readonly itemTypes = new Map<string, Pick<Declared, 'type' | 'untrusted'>>()

  private setItemType(part: string, item: Binding | undefined): void {
    if (item) this.itemTypes.set(part, { type: item.type, untrusted: item.untrusted })
  }

  /** The declaration of an answer, with the type of its items once that is known. */
  declarationNow(name: string): Declared {
    const d = this.declared.get(name)
    if (!d) throw new TypeError(`no part "${name}"`)
    const item = this.itemTypes.get(name) ?? this.itemTypeOf(name)
    if (!item || d.type.kind !== 'list' || d.type.item.kind !== 'record') return d
    const [first, ...rest] = d.type.item.fields ?? []
    return first ? { ...d, type: { kind: 'list', item: { kind: 'record', fields: [{ ...first, ...item, optional: false }, ...rest] } } } : d
  }

  /** The type of an `each` part's items, looked up before the part itself is compiled; its problems are reported with the part. */
  private itemTypeOf(name: string): Pick<Declared, 'type' | 'untrusted'> | undefined {
    const each = this.assembly.parts.find((part) => part.name === name)?.each
    if (!each) return undefined
    this.itemTypes.set(name, { type: { kind: 'any' }, untrusted: true })
    const { context } = this.contextFor((other) => other !== name)
    const silent = { ...context, shared: { ...context.shared, report: () => undefined } }
    const item = openLoop(each, silent).within.scope.find(each.name.name)
    if (item) this.itemTypes.set(name, { type: item.type, untrusted: item.untrusted })
    return this.itemTypes.get(name)
  }

  /** The parts, each after those that it uses; undefined where they use each other in a cycle, which is reported. */
  private ordered(parts: readonly PartPlan[]): readonly PartPlan[] | undefined {
    const byName = new Map(parts.map((part) => [part.model.name, part]))
    const done = new Set<PartPlan>()
    const visit = (part: PartPlan, path: readonly string[]): boolean => {
      const { name, span } = part.model
      if (done.has(part)) return true
      if (path.includes(name)) {
        this.report(problem('part-cycle', { circle: [...path.slice(path.indexOf(name)), name] }, span))
        return false
      }
      const isSound = part.needs.every((other) => {
        const next = byName.get(other)
        return !next || visit(next, [...path, name])
      })
      if (isSound) done.add(part)
      return isSound
    }
    return parts.every((part) => visit(part, [])) ? [...done] : undefined
  }
}

/** The place at which untrusted free text would reach a variable that is not declared untrusted. */
function unfenced({ type, untrusted, name }: Pick<Binding, 'type' | 'untrusted' | 'name'>, target: Declared): string | undefined {
  // A binding is untrusted, too, where its own variable is: that is what is asked for.
  return openPlace(name, type, untrusted, target.type, target.untrusted)
}

function openPlace(path: string, type: ValueType, untrusted: boolean, target: ValueType, isFenced: boolean): string | undefined {
  if (isFenced || !isFreeText(type)) return undefined
  const [own, wanted] = [fieldsOf(type), fieldsOf(target)]
  if (!own || !wanted) return untrusted || holdsUntrusted(type) ? path : undefined
  for (const field of wanted) {
    const source = own.find(({ name }) => name === field.name)
    const place = source && openPlace(`${path}.${field.name}`, source.type, untrusted || source.untrusted, field.type, field.untrusted)
    if (place !== undefined) return place
  }
  return undefined
}

function holdsUntrusted(type: ValueType): boolean {
  return (fieldsOf(type) ?? []).some((field) => field.untrusted || holdsUntrusted(field.type))
}

function fieldsOf(type: ValueType): readonly Declared[] | undefined {
  if (type.kind === 'list') return fieldsOf(type.item)
  return type.kind === 'record' || type.kind === 'table' ? type.fields : undefined
}

/** A record by the names of its fields, which tell more than its kind. */
function describeAnswer(type: ValueType): string {
  const fields = type.kind === 'record' ? type.fields : undefined
  return fields ? `a record of ${fields.map(({ name }) => name).join(', ')}` : describe(type)
}
