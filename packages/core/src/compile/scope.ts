import type { Get, Op } from '../render/run.js'
import type { PathStep } from '../render/trace.js'
import type { Span } from '../source/source.js'
import type { Declared, ValueType } from '../values/types.js'

/** A name that a text may use: a variable, a loop name, a position, a trait. */
export interface Binding {
  readonly name: string
  readonly type: ValueType
  /** Whether a rendering may find nothing there. */
  readonly optional: boolean
  /** Whether the value comes untrusted: written only within a fence. */
  readonly untrusted: boolean
  readonly get: Get
  /** Where the value comes from in the record. */
  readonly path: readonly PathStep[]
  readonly span: Span | undefined
  /** Set where a text uses the name. */
  readonly used: { yes: boolean }
  readonly loop: boolean
  /** The same in every rendering: what is written of it can be written once. */
  readonly constant?: boolean
  /** The index of the rendering's own variable that this is. */
  readonly variable?: number
  /** Whether its value is a text of the prompt, which draws on variables of its own. */
  readonly bound?: boolean
  /** Writes such a text where it stands: it holds fences, whose tags are lost in a value. */
  readonly inline?: Op
}

/** A declared variable, or field, as a name. */
export function variableBinding(d: Declared, get: Get, path: Binding['path'] = [d.name]): Binding {
  return {
    name: d.name,
    type: d.type,
    optional: d.optional && d.default === undefined,
    untrusted: d.untrusted,
    get,
    path,
    span: d.span,
    used: { yes: false },
    loop: false,
  }
}

/** The names that a text sees, innermost first. */
export class Scope {
  private readonly bindings: ReadonlyMap<string, Binding>

  constructor(
    bindings: readonly Binding[],
    private readonly outer?: Scope,
  ) {
    this.bindings = new Map(bindings.map((b) => [b.name, b]))
  }

  find(name: string): Binding | undefined {
    return this.bindings.get(name) ?? this.outer?.find(name)
  }

  with(...bindings: Binding[]): Scope {
    return new Scope(bindings, this)
  }

  names(): string[] {
    return [...new Set([...this.bindings.keys(), ...(this.outer?.names() ?? [])])]
  }
}
