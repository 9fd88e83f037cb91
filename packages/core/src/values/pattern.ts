import { defined } from '../invariant.js'
// Patterns come from authors and are tried on texts from strangers: an engine that tries one way after the other could be kept busy for ever
// (`(a+)+b`). They run here as an automaton that goes all ways at once, so that time grows with the text and no faster; what no automaton can
// do is refused when the library opens.

/** A pattern that matches a whole text. */
export interface Pattern {
  test(text: string): boolean
  readonly automaton: Automaton
}

/** A pattern that cannot be used, and why. */
export class PatternRefused extends Error {
  override readonly name = 'PatternRefused'
}

const known = new Map<string, Pattern>()

/**
 * The pattern of a source, made once; it matches the whole text, as in a form.
 *
 * @throws PatternRefused where the source is no regular expression, looks around or back, or is too large.
 */
export function wholePattern(source: string): Pattern {
  let pattern = known.get(source)
  if (!pattern) {
    const automaton = automatonOf(source)
    known.set(source, (pattern = { automaton, test: (text) => automaton.matches(text) }))
  }
  return pattern
}

/** Why a pattern cannot be used; undefined where it can. */
export function patternRefused(source: string): string | undefined {
  try {
    wholePattern(source)
    return undefined
  } catch (fault) {
    if (fault instanceof PatternRefused) return fault.message
    throw fault
  }
}

/** The same for a pattern that may match anywhere in a text, as those of JSON Schema do. */
export function patternWithin(source: string): { test(text: string): boolean; toString(): string } {
  const automaton = automatonOf(`[^]*(?:${source})[^]*`)
  // A validator keeps patterns by their text.
  return { test: (text) => automaton.matches(text), toString: () => source }
}

/** A character, or a test of the place between two. */
type Step =
  | { readonly kind: 'character'; readonly test: RegExp; readonly to: number }
  | { readonly kind: 'place'; readonly test: RegExp; readonly to: number }
  | { readonly kind: 'fork'; readonly to: readonly number[] }
  | { readonly kind: 'end' }

/** More states than this are no pattern that a person wrote: a text would take as many steps for each of its characters. */
const MOST_STATES = 2000
/** Sets of states that are remembered, each with the characters that lead to the next. */
const MOST_KNOWN = 2000

/** Several states at once, and which follow them by which character. */
interface States {
  readonly all: readonly number[]
  readonly accepts: boolean
  readonly next: Map<string, States>
}

export class Automaton {
  /** Sets of states that were met before: most texts go the same few ways. Places between characters depend on both sides, and are not kept. */
  private readonly met = new Map<string, States>()
  private readonly looksAround: boolean
  private first: States | undefined

  constructor(
    readonly steps: readonly Step[],
    readonly start: number,
  ) {
    this.looksAround = steps.some(({ kind }) => kind === 'place')
  }

  matches(text: string): boolean {
    if (this.looksAround) return this.matchesBetween(text)
    let now = (this.first ??= this.states([this.start]))
    for (let position = 0; position < text.length && now.all.length > 0;) {
      const character = String.fromCodePoint(defined(text.codePointAt(position)))
      position += character.length
      let next = now.next.get(character)
      if (!next) now.next.set(character, (next = this.states(this.after(now.all, character))))
      now = next
    }
    return now.accepts
  }

  /** The set of these states, with all that can be reached from them. */
  private states(states: readonly number[]): States {
    const all = this.closure(states, '', 0).sort((a, b) => a - b)
    const key = all.join(' ')
    let known = this.met.get(key)
    if (!known) {
      if (this.met.size >= MOST_KNOWN) {
        this.met.clear()
        this.first = undefined
      }
      this.met.set(key, (known = { all, accepts: this.accepts(all), next: new Map() }))
    }
    return known
  }

  private after(states: readonly number[], character: string): number[] {
    return states.flatMap((state) => {
      const step = defined(this.steps[state])
      return step.kind === 'character' && step.test.test(character) ? [step.to] : []
    })
  }

  private accepts(states: readonly number[]): boolean {
    return states.some((state) => defined(this.steps[state]).kind === 'end')
  }

  private matchesBetween(text: string): boolean {
    let now = this.closure([this.start], text, 0)
    for (let offset = 0; offset < text.length && now.length > 0;) {
      const character = String.fromCodePoint(defined(text.codePointAt(offset)))
      offset += character.length
      now = this.closure(this.after(now, character), text, offset)
    }
    return this.accepts(now)
  }

  /** The states that can be reached without a character. */
  closure(states: readonly number[], text: string, index: number): number[] {
    const seen = new Set<number>()
    const rest = [...states]
    for (let state = rest.pop(); state !== undefined; state = rest.pop()) {
      if (seen.has(state)) continue
      seen.add(state)
      const step = defined(this.steps[state])
      if (step.kind === 'fork') rest.push(...step.to)
      else if (step.kind === 'place') {
        const around = text.slice(Math.max(0, index - 1), index + 1)
        step.test.lastIndex = Math.min(index, 1)
        if (step.test.test(around)) rest.push(step.to)
      }
    }
    return [...seen]
  }
}

/** A piece of an automaton under way: given where it goes on, it gives where it begins. */
type Fragment = (to: number) => number

/** @throws PatternRefused where no automaton does it. */
function automatonOf(source: string): Automaton {
  try {
    new RegExp(source, 'u')
  } catch (fault) {
    throw new PatternRefused((fault instanceof Error ? fault.message : String(fault)).replace(/^.*?:\s*(?=[^:]*$)/, '').toLowerCase())
  }
  const steps: Step[] = []
  const add = (step: Step): number => {
    if (steps.length >= MOST_STATES) throw new PatternRefused('it repeats too often; use max-length for the length of a text')
    return steps.push(step) - 1
  }
  const fragment = new PatternReader(source, add).alternatives()
  const end = add({ kind: 'end' })
  return new Automaton(steps, fragment(end))
}

/** Groups within groups: beyond this the stack itself would be in danger. */
const DEEPEST = 100

const ATOM = /\\u\{[0-9a-fA-F]+\}|\\u[0-9a-fA-F]{4}|\\x[0-9a-fA-F]{2}|\\c[A-Za-z]|\\[pP]\{[^}]*\}|\\[^]|\[(?:\\[^]|[^\]\\])*\]|[^]/uy
const REPEAT = /([*+?]|\{(\d+)(?:(,)(\d*))?\})\??/y

class PatternReader {
  private position = 0
  private depth = 0

  constructor(
    private readonly source: string,
    private readonly add: (step: Step) => number,
  ) {}

  /** alternatives = sequence { "|" sequence } */
  alternatives(): Fragment {
    const all = [this.sequence()]
    while (this.source[this.position] === '|') {
      this.position++
      all.push(this.sequence())
    }
    return all.length === 1 ? defined(all[0]) : (to) => this.add({ kind: 'fork', to: all.map((fragment) => fragment(to)) })
  }

  /** sequence = { piece [ repeat ] } */
  private sequence(): Fragment {
    const parts: Fragment[] = []
    while (this.position < this.source.length && this.source[this.position] !== '|' && this.source[this.position] !== ')')
      parts.push(this.repeated(this.piece()))
    return (to) => parts.reduceRight((next, part) => part(next), to)
  }

  /** piece = "(" alternatives ")" | character | place */
  private piece(): Fragment {
    if (this.source[this.position] === '(') {
      const opening = /\((?:\?:|\?<[^=!>][^>]*>|(?!\?))/y
      opening.lastIndex = this.position
      if (!opening.test(this.source)) throw new PatternRefused('it looks ahead or behind, which takes unbounded time')
      this.position = opening.lastIndex
      if (++this.depth > DEEPEST) throw new PatternRefused(`its groups are nested more than ${DEEPEST} deep`)
      const inner = this.alternatives()
      this.depth--
      this.position++
      return inner
    }
    ATOM.lastIndex = this.position
    const [atom = ''] = ATOM.exec(this.source) ?? []
    this.position += atom.length
    if (/^\\(?:[1-9]|k)/.test(atom)) throw new PatternRefused('it refers back to a group, which takes unbounded time')
    if (atom === '^' || atom === '$' || atom === '\\b' || atom === '\\B') {
      const test = new RegExp(atom, 'uy')
      return (to) => this.add({ kind: 'place', test, to })
    }
    const test = new RegExp(`^${atom}$`, 'u')
    return (to) => this.add({ kind: 'character', test, to })
  }

  private repeated(piece: Fragment): Fragment {
    REPEAT.lastIndex = this.position
    const match = REPEAT.exec(this.source)
    if (!match) return piece
    this.position = REPEAT.lastIndex
    const [, character, count, comma, upTo] = match
    if (character === '*') return this.star(piece)
    if (character === '+') return (to) => piece(this.star(piece)(to))
    const least = character === '?' ? 0 : Number(count)
    const most = character === '?' ? 1 : comma === undefined ? least : upTo === '' ? Infinity : Number(upTo)
    if (least > MOST_STATES || (most !== Infinity && most > MOST_STATES))
      throw new PatternRefused('it repeats too often; use max-length for the length of a text')
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
