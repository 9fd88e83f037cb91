import type { Problem } from 'dunelight'
import { defined } from 'dunelight/host'
import type { Answered } from '../ask/question.js'
import type { ReviewLine } from '../ask/review-log.js'
import { unsupportedText } from '../replies/finished-row.js'

/** One of the answers to a record, by its number from 1. */
export interface Candidate {
  readonly number: number
  readonly text: string
  /** Undefined where it could not be read. */
  readonly answer: Readonly<Record<string, unknown>> | undefined
  readonly problems: readonly Problem[]
  readonly repairs: readonly string[]
  readonly unsupported: readonly string[]
  /** Its rows and list items that are nearly the same as one before them. */
  readonly similarItems: readonly string[]
  readonly isMock: boolean
  /** The first answer that is nearly equal. */
  readonly similar: number | undefined
  /** The part that was regenerated, and the answer that the rest was taken from. */
  readonly isRegenerated: { readonly part: string; readonly of: number } | undefined
  /** Whether a person wrote it. */
  readonly isEdited: boolean
}

/** Reads a text as an answer to a question. */
export type Reader = Pick<Answered, 'form' | 'read'>

/** A text as an answer to the same question. */
export function candidateOf(
  number: number,
  text: string,
  { form, read }: Reader,
  isMock: boolean,
  line?: ReviewLine & { does: 'add' },
): Candidate {
  const reply = read?.(text)
  const problems = reply?.problems ?? []
  return {
    number,
    text,
    answer: problems.length > 0 ? undefined : form ? form.columns(defined(reply).value) : { reply: text },
    problems,
    repairs: (reply?.repairs ?? []).map(({ message }) => message),
    unsupported: (reply?.unsupported ?? []).map(unsupportedText),
    similarItems: (reply?.similar ?? []).map((p) => p.message),
    isMock,
    similar: undefined,
    isEdited: line?.byHand === true,
    isRegenerated: line?.part === undefined ? undefined : { part: line.part, of: defined(line.of) },
  }
}
