import type { AnswerSource } from '../ask/answer-source.js'
import type { QuestionSource } from '../ask/question.js'

/** A question that the run never got an answer to. */
export class Unanswered extends Error {
  override readonly name: string = 'Unanswered'
}

/** Answers from those of the run alone: nothing is asked to look at it. */
export function recorded(source: AnswerSource): QuestionSource {
  const { counter } = source
  return {
    counter,
    answer: async (key) => {
      const answer = await source.answered(key)
      if (!answer) throw new Unanswered()
      return { answer, cached: true }
    },
  }
}

/** Answers by number, as far as the run has them. */
export async function recordedAnswers<A>(most: number, answer: (candidate: number) => Promise<A>): Promise<A[]> {
  const answers: A[] = []
  for (let candidate = 1; candidate <= most; candidate++) {
    try {
      answers.push(await answer(candidate))
    } catch (fault) {
      if (!(fault instanceof Unanswered)) throw fault
      break
    }
  }
  return answers
}
