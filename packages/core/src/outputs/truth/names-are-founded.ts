import { defined } from '../../invariant.js'
import { doubt } from './doubt.js'
import type { TruthRule } from './facts.js'

/** Languages that write every noun with a capital: there a capital proves nothing. */
const CAPITAL_NOUNS = ['de', 'lb']
const NO_NAMES = new Set(
  'i january february march april may june july august september october november december monday tuesday wednesday thursday friday saturday sunday mr mrs ms dr st'.split(
    ' ',
  ),
)
const WORD = /\p{L}[\p{L}\p{M}'’]*/gu
/** What begins a sentence: the text's beginning, an end before, an opening mark or a list's character. */
const BEGINNING = /(?:^|[.!?:;…]["”’)]*\s+|["“„‘(\n#>|*•]\s*|[-–] )$/u

export const namesAreFounded: TruthRule = {
  name: 'names-are-founded',
  check: (facts, report) => {
    if (facts.language !== undefined && CAPITAL_NOUNS.includes(facts.language)) return
    for (const text of facts.prose) {
      for (const names of runsIn(text)) {
        const unknown = names.words.filter((word) => !NO_NAMES.has(word.toLowerCase()) && !facts.stands(bare(word), 'sources'))
        // The first word of a sentence has a capital anyway: it counts only next to another one.
        const telling = unknown.filter((word, i) => i > 0 || word !== names.words[0] || !names.begins)
        if (telling.length === 0) continue
        const inExample = unknown.every((word) => facts.stands(bare(word), 'examples'))
        report(() => doubt(inExample, 'name', unknown.join(' '), facts))
      }
    }
  },
}

/** A name without the ending that owns something: "Brook’s". */
function bare(word: string): string {
  return word.replace(/['’]s?$/u, '')
}

interface Run {
  readonly words: string[]
  readonly begins: boolean
}

/** Runs of words with capitals, line by line; headings, in which most words have one, are passed over. */
function runsIn(text: string): Run[] {
  return text.split('\n').flatMap((line) => {
    if (!CAPITAL.test(line)) return []
    const words = [...line.matchAll(WORD)].map((match) => ({ word: match[0], start: match.index, end: match.index + match[0].length }))
    const long = words.filter(({ word }) => word.length > 3)
    const capital = long.filter(({ word }) => isCapital(word))
    if (long.length > 1 && capital.length * 3 > long.length * 2 && !/[.!?…,;]\s*$/.test(line)) return []
    const runs: Run[] = []
    let end = -1
    for (const word of words) {
      if (!isCapital(word.word) || word.word.length < 2) continue
      const joined = end >= 0 && line.slice(end, word.start) === ' '
      if (joined) defined(runs.at(-1)).words.push(word.word)
      else runs.push({ words: [word.word], begins: BEGINNING.test(line.slice(Math.max(0, word.start - 8), word.start)) })
      end = word.end
    }
    return runs
  })
}

const CAPITAL = /\p{Lu}/u

function isCapital(word: string): boolean {
  return /^\p{Lu}/u.test(word)
}
