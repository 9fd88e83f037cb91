import type { TruthRule } from './facts.js'
import { foldText } from '../fold.js'
import { problem } from '../../problems/problem.js'
import { clip } from '../../values/data.js'

/** Shorter sentences may be equal by chance. */
const LEAST_WORDS = 6
const SENTENCE = /[^.!?…\n]+[.!?…]*/gu

export const noSentenceIsCopied: TruthRule = {
  name: 'no-sentence-is-copied',
  check: (facts, report) => {
    // Most answers have no sentence of this length, or none: what they could be copied from is not looked at then.
    const claims = facts.claims.flatMap(sentences)
    if (claims.length === 0 || facts.examples.length === 0) return
    const examples = new Set(facts.examples.flatMap(sentences).map(fold))
    if (examples.size === 0) return
    const sources = new Set(facts.sources.flatMap(sentences).map(fold))
    for (const sentence of claims) {
      const folded = fold(sentence)
      if (examples.has(folded) && !sources.has(folded))
        report(() => problem('reply-copied', { sentence: clip(sentence, 100) }, facts.placeOf(sentence)))
    }
  },
}

function sentences(text: string): string[] {
  return [...text.matchAll(SENTENCE)].map(([sentence]) => sentence.trim()).filter((text) => text.split(/\s+/).length >= LEAST_WORDS)
}

function fold(sentence: string): string {
  return foldText(sentence.replace(/[.!?…]+$/u, '')).trim()
}
