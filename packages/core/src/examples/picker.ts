import { defined } from '../invariant.js'
import { CaseIndex } from './case-index.js'
import { STRATEGIES } from './pick/index.js'
import type { Question, Strategy } from './pick/strategy.js'

/** The order of the picked cases: by their order in the set, by nearness, or by label. */
export const ORDERS = ['best-last', 'best-first', 'grouped', 'mixed'] as const
export type Order = (typeof ORDERS)[number]

/** The picking options of a set or a use. */
export interface PickRule {
  readonly by: string
  readonly atMost: number | undefined
  readonly atLeast: number | undefined
  /** The field of which every value gets a case. */
  readonly cover: string | undefined
  /** In tokens. */
  readonly budget: number | undefined
  readonly order: Order | undefined
}

/** How near texts are to the one that is asked: a program's own measure in place of the built-in one. */
export type Likeness = (asked: string, cases: readonly string[]) => ArrayLike<number>

export interface PickerSetting {
  /** The cases' ask sides. */
  readonly texts: readonly string[]
  readonly rule: PickRule
  /** Each case's value of the field that is covered, or by which cases are grouped. */
  readonly labelOf: ((index: number) => string) | undefined
  /** Each case's length in tokens; only asked where there is a budget. */
  readonly tokensOf: (index: number) => number
  readonly likeness: Likeness | undefined
}

/** A case that was picked, with its score and the reason. */
export interface PickedCase {
  /** Its place in the set, from 0. */
  readonly case: number
  readonly score: number
  readonly why: 'cover' | 'rank'
}

/** The cases for one record, in the order in which they are written. */
export interface Picked {
  readonly cases: readonly PickedCase[]
  /** Cases that were left out because they equal the record, or nearly do. */
  readonly same: readonly number[]
  /** Cases that the budget cut. */
  readonly cut: number
}

/** How near cases are, and which share anything. */
interface Shared {
  readonly scores: ArrayLike<number>
  readonly touched: Uint32Array
}
const NOTHING_SHARED: Shared = { scores: [], touched: new Uint32Array(0) }

/**
 * Picks cases of an example set, for one record after another. The index over the cases is built once, when it is first needed.
 *
 * @example
 * const rule = { by: 'likeness', atMost: 1, cover: undefined, budget: undefined, order: undefined }
 * const texts = ['a loose handle', 'salt under the lip']
 * const picker = new Picker({ texts, rule, labelOf: undefined, tokensOf: () => 1, likeness: undefined })
 * picker.pick('the handle is loose', () => 0).cases.map((picked) => picked.case) // => [0]
 */
export class Picker {
  private made: CaseIndex | undefined
  private readonly strategy: Strategy

  constructor(private readonly setting: PickerSetting) {
    this.strategy = STRATEGIES.find((strategy) => strategy.name === setting.rule.by) ?? defined(STRATEGIES[0])
  }

  private readonly byText = new Map<string, number[]>()
  /** The cases of each text, folded. */
  private get byFoldedText(): ReadonlyMap<string, readonly number[]> {
    if (this.byText.size === 0)
      this.setting.texts.forEach((text, i) => {
        const folded = fold(text)
        this.byText.set(folded, [...(this.byText.get(folded) ?? []), i])
      })
    return this.byText
  }

  /** Whether its cases are likened to something. */
  get compares(): boolean {
    return this.strategy.compares
  }

  /** What the built-in measure and the checks of the set share. */
  get index(): CaseIndex {
    return (this.made ??= new CaseIndex(this.setting.texts))
  }

  private groups: readonly string[] | undefined
  private get labels(): readonly string[] | undefined {
    const { labelOf, texts } = this.setting
    return (this.groups ??= labelOf && texts.map((_, index) => labelOf(index)))
  }

  /** `asked` is the input of the record, if there is one; `random` gives a number for a name, by seed and record. */
  pick(asked: string | undefined, random: (name: string) => number): Picked {
    const { rule, texts } = this.setting
    const same = asked === undefined ? [] : this.sameAs(asked)
    const most = rule.atMost === undefined ? texts.length : Math.min(texts.length, rule.atMost)
    const question = this.question(asked, new Set(same), random)
    const ranked = this.strategy.rank(question, most, rule.cover === undefined ? undefined : this.labels)
    const { taken, cut } = this.served(ranked, most)
    const cases = this.ordered(taken, question.scores).map(({ index, why }) => ({
      case: index,
      score: question.scores[index] ?? 0,
      why,
    }))
    return { cases, same, cut }
  }

  private question(asked: string | undefined, barred: ReadonlySet<number>, random: (name: string) => number): Question {
    const index = () => this.index
    return {
      count: this.setting.texts.length,
      barred,
      ...this.shared(asked),
      random: (index) => random(String(index)),
      get index() {
        return index()
      },
    }
  }

  private shared(asked: string | undefined): Shared {
    const { texts, likeness } = this.setting
    if (asked === undefined || !this.strategy.compares) return NOTHING_SHARED
    if (likeness) return { scores: likeness(asked, texts), touched: Uint32Array.from(texts.keys()) }
    return this.index.score(asked)
  }

  /**
   * The cases that equal the record but for case, spaces and punctuation: the record itself is among the examples by mistake. Other words, or
   * another order of them, make another text, and a good example.
   */
  private sameAs(asked: string): readonly number[] {
    return this.byFoldedText.get(fold(asked)) ?? []
  }

  /** Every value's best first, then by rank; the budget limits both, and cases beyond it are counted. */
  private served(ranked: readonly number[], most: number) {
    const { rule, tokensOf } = this.setting
    const { labels } = this
    const wanted: { index: number; why: PickedCase['why'] }[] = []
    if (rule.cover !== undefined && labels) {
      const seen = new Set<string>()
      for (const index of ranked) {
        const label = defined(labels[index])
        if (seen.has(label)) continue
        seen.add(label)
        wanted.push({ index, why: 'cover' })
      }
    }
    const covered = new Set(wanted.map(({ index }) => index))
    for (const index of ranked) if (wanted.length < most && !covered.has(index)) wanted.push({ index, why: 'rank' })
    if (rule.budget === undefined) return { taken: wanted, cut: 0 }
    let left = rule.budget
    const taken = wanted.filter(({ index }) => {
      const tokens = tokensOf(index)
      if (tokens > left) return false
      left -= tokens
      return true
    })
    return { taken, cut: wanted.length - taken.length }
  }

  private ordered(taken: readonly { index: number; why: PickedCase['why'] }[], scores: ArrayLike<number>) {
    const { rule } = this.setting
    const score = (index: number) => scores[index] ?? 0
    const order = rule.order ?? (this.strategy.compares ? 'best-last' : undefined)
    if (order === undefined) return this.strategy.name === 'seeded' ? taken : [...taken].sort((a, b) => a.index - b.index)
    const byWorth = [...taken].sort((a, b) => score(b.index) - score(a.index) || a.index - b.index)
    if (order === 'best-first') return byWorth
    if (order === 'best-last') return byWorth.reverse()
    const groups = new Map<string, typeof byWorth>()
    for (const item of byWorth.reverse()) {
      const label = this.labels?.[item.index] ?? ''
      groups.set(label, [...(groups.get(label) ?? []), item])
    }
    if (order === 'grouped') return [...groups.values()].flat()
    const longest = Math.max(0, ...[...groups.values()].map((group) => group.length))
    return Array.from({ length: longest }, (_, i) => [...groups.values()].flatMap((group) => group[i] ?? [])).flat()
  }
}

const FOLDED = /[^\p{L}\p{M}\p{N}]+/gu

/** A text without what makes no difference: case, spaces and punctuation. */
function fold(text: string): string {
  return text.normalize('NFKC').toLowerCase().replace(FOLDED, ' ').trim() || text
}
