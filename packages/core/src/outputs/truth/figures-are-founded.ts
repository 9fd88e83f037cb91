import { doubt } from './doubt.js'
import type { TruthRule } from './facts.js'
import { GivenNumbers, mayHoldNumbers, numbersIn, type SaidNumber } from './numbers.js'
import { datesIn } from '../../values/written-dates.js'

/** Small numbers in words are counted by everybody: "two hands". */
const LEAST_IN_WORDS = 13
/** `3.` at the beginning of a line counts the lines. */
const LINE_NUMBER = /(?:^|\n)[ \t]*(?:[-*>#] )?$/
const LONGEST_INDENT = 100

export const figuresAreFounded: TruthRule = {
  name: 'figures-are-founded',
  check: (facts, report) => {
    const stated = facts.prose
      .filter(mayHoldNumbers)
      .flatMap((text) =>
        numbersIn(text, datesIn(text)).filter((saidNumber) => !isTrifle(saidNumber, text) && !facts.stands(saidNumber.text, 'sources')),
      )
    if (stated.length === 0) return
    const numbers = numbersOf(facts.sources)
    const unknown = stated.filter((saidNumber) => !numbers.holds(saidNumber))
    const examples = numbersOf(unknown.length > 0 ? facts.examples : [])
    for (const saidNumber of unknown) report(() => doubt(examples.holds(saidNumber), saidNumber.kind, saidNumber.text.trim(), facts))
  },
}

function numbersOf(texts: readonly string[]): GivenNumbers {
  const numbers = new GivenNumbers()
  for (const text of texts) numbers.add(text)
  return numbers
}

function isTrifle({ text, start, readings }: SaidNumber, within: string): boolean {
  if (/^\p{L}/u.test(text)) return readings.every((reading) => /^\d+$/.test(reading) && Number(reading) < LEAST_IN_WORDS)
  return (
    /^[.)] /.test(within.slice(start + text.length, start + text.length + 2)) &&
    LINE_NUMBER.test(within.slice(Math.max(0, start - LONGEST_INDENT), start))
  )
}
