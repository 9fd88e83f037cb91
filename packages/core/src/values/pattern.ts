// Patterns come from people, and are tried on texts from strangers: an engine that tries one way after the other could be kept busy for ever
// (`(a+)+b`). Patterns that could are run here as an automaton that goes all ways at once, so that time grows with the text and no faster.

/** A pattern that matches a whole text. */
export interface Pattern {
  test(text: string): boolean
  /** Whether nothing can keep it busy: false only where it looks around or back. */
  readonly bounded: boolean
  /** The automaton, where it could be made: for making up texts that match. */
  readonly automaton: Automaton | undefined
}

const known = new Map<string, Pattern>()

/** The pattern of a source, made once; it matches the whole text, as in a form. */
export function wholePattern(source: string): Pattern {
  let found = known.get(source)
  if (!found) known.set(source, (found = compilePattern(source)))
  return found
}

/** @throws SyntaxError where the source is no regular expression. */
function compilePattern(source: string): Pattern {
  const native = new RegExp(`^(?:${source})$`, 'u')
  const automaton = automatonOf(source)
  const test = automaton && longRepeats(source) > 1 ? (text: string) => automaton.matches(text) : (text: string) => native.test(text)
  return { test, bounded: automaton !== undefined || longRepeats(source) <= 1, automaton }
}

/** The same for a pattern that may match anywhere in a text, as those of JSON Schema do. */
export function patternWithin(source: string): { test(text: string): boolean; toString(): string } {
  const automaton = automatonOf(`[^]*(?:${source})[^]*`)
  if (!automaton) return new RegExp(source, 'u')
  // Whoever keeps patterns keeps them by their text.
  return { test: (text) => automaton.matches(text), toString: () => source }
}

/** How many repeats may run long: a single one cannot be divided in several ways. */
function longRepeats(source: string): number {
  const bare = source.replace(/\\[^]|\[(?:\\[^]|[^\]\\])*\]/g, 'x')
  return [...bare.matchAll(/[*+]|(\)?)\{(\d+)(,?)(\d*)\}/g)].filter(([, group, least, comma, most]) => {
    if (least === undefined || group === ')') return true
    return comma === ',' && (most === '' || Number(most) > 8)
  }).length
}

/** A sign, or a test of the place between two. */
type Step =
  | { readonly kind: 'sign'; readonly test: RegExp; readonly to: number }
  | { readonly kind: 'place'; readonly test: RegExp; readonly to: number }
  | { readonly kind: 'fork'; readonly to: readonly number[] }
  | { readonly kind: 'end' }

/** More states than this are no pattern that a person wrote. */
const MOST_STATES = 20_000

export class Automaton {
  constructor(
    readonly steps: readonly Step[],
    readonly start: number,
  ) {}

  matches(text: string): boolean {
    let now = this.closure([this.start], text, 0)
    let at = 0
    while (at < text.length && now.length > 0) {
      const sign = String.fromCodePoint(text.codePointAt(at)!)
      at += sign.length
      const next: number[] = []
      for (const state of now) {
        const step = this.steps[state]!
        if (step.kind === 'sign' && step.test.test(sign)) next.push(step.to)
      }
      now = this.closure(next, text, at)
    }
    return at === text.length && now.some((state) => this.steps[state]!.kind === 'end')
  }

  /** The states that can be reached without a sign. */
  closure(states: readonly number[], text: string, at: number): number[] {
    const seen = new Set<number>()
    const rest = [...states]
    for (let state = rest.pop(); state !== undefined; state = rest.pop()) {
      if (seen.has(state)) continue
      seen.add(state)
      const step = this.steps[state]!
      if (step.kind === 'fork') rest.push(...step.to)
      else if (step.kind === 'place') {
        const around = text.slice(Math.max(0, at - 1), at + 1)
        step.test.lastIndex = Math.min(at, 1)
        if (step.test.test(around)) rest.push(step.to)
      }
    }
    return [...seen]
  }
}

/** A piece of an automaton under way: given where it goes on, it gives where it begins. */
type Fragment = (to: number) => number

/** The automaton of a pattern, or undefined where it looks around or back, or is too large. */
export function automatonOf(source: string): Automaton | undefined {
  const steps: Step[] = []
  const add = (step: Step): number => {
    if (steps.length >= MOST_STATES) throw new TooMuch()
    return steps.push(step) - 1
  }
  try {
    const fragment = new PatternReader(source, add).alternatives()
    const end = add({ kind: 'end' })
    return new Automaton(steps, fragment(end))
  } catch (fault) {
    if (fault instanceof TooMuch) return undefined
    throw fault
  }
}

/** What no automaton does, or not at a size that is worth it. */
class TooMuch extends Error {}

const ATOM = /\\u\{[0-9a-fA-F]+\}|\\u[0-9a-fA-F]{4}|\\x[0-9a-fA-F]{2}|\\c[A-Za-z]|\\[pP]\{[^}]*\}|\\[^]|\[(?:\\[^]|[^\]\\])*\]|[^]/uy
const REPEAT = /([*+?]|\{(\d+)(?:(,)(\d*))?\})\??/y

class PatternReader {
  private at = 0

  constructor(
    private readonly source: string,
    private readonly add: (step: Step) => number,
  ) {}

  /** alternatives = sequence { "|" sequence } */
  alternatives(): Fragment {
    const all = [this.sequence()]
    while (this.source[this.at] === '|') {
      this.at++
      all.push(this.sequence())
    }
    return all.length === 1 ? all[0]! : (to) => this.add({ kind: 'fork', to: all.map((one) => one(to)) })
  }

  /** sequence = { piece [ repeat ] } */
  private sequence(): Fragment {
    const parts: Fragment[] = []
    while (this.at < this.source.length && this.source[this.at] !== '|' && this.source[this.at] !== ')')
      parts.push(this.repeated(this.piece()))
    return (to) => parts.reduceRight((next, part) => part(next), to)
  }

  /** piece = "(" alternatives ")" | sign | place */
  private piece(): Fragment {
    if (this.source[this.at] === '(') {
      const opening = /\((?:\?:|\?<[^=!>][^>]*>|(?!\?))/y
      opening.lastIndex = this.at
      if (!opening.test(this.source)) throw new TooMuch()
      this.at = opening.lastIndex
      const inner = this.alternatives()
      this.at++
      return inner
    }
    ATOM.lastIndex = this.at
    const [atom = ''] = ATOM.exec(this.source) ?? []
    this.at += atom.length
    if (/^\\(?:[1-9]|k)/.test(atom)) throw new TooMuch()
    if (atom === '^' || atom === '$' || atom === '\\b' || atom === '\\B') {
      const test = new RegExp(atom, 'uy')
      return (to) => this.add({ kind: 'place', test, to })
    }
    const test = new RegExp(`^${atom}$`, 'u')
    return (to) => this.add({ kind: 'sign', test, to })
  }

  private repeated(piece: Fragment): Fragment {
    REPEAT.lastIndex = this.at
    const found = REPEAT.exec(this.source)
    if (!found) return piece
    this.at = REPEAT.lastIndex
    const [, sign, count, comma, upTo] = found
    if (sign === '*') return this.star(piece)
    if (sign === '+') return (to) => piece(this.star(piece)(to))
    const least = sign === '?' ? 0 : Number(count)
    const most = sign === '?' ? 1 : comma === undefined ? least : upTo === '' ? Infinity : Number(upTo)
    if (least > MOST_STATES || (most !== Infinity && most > MOST_STATES)) throw new TooMuch()
    return (to) => {
      let next = most === Infinity ? this.star(piece)(to) : to
      for (let i = least; i < Math.min(most, MOST_STATES) && most !== Infinity; i++)
        next = this.add({ kind: 'fork', to: [piece(next), to] })
      for (let i = 0; i < least; i++) next = piece(next)
      return next
    }
  }

  private star(piece: Fragment): Fragment {
    return (to) => {
      const targets: number[] = []
      const fork = this.add({ kind: 'fork', to: targets })
      targets.push(piece(fork), to)
      return fork
    }
  }
}
