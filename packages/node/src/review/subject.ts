import type { Problem } from 'dunelight'
import type { BatchRecord } from 'dunelight/host'
import type { Answered, Wanted } from '../ask/question.js'
import { acceptedLine } from '../ask/part-questions.js'
import type { ReviewLine } from '../ask/review-log.js'
import { nearlyTheSame } from '../replies/likeness.js'
import { candidateOf, type Candidate, type Reader } from './candidate.js'

/** A record of a run with its answers, or a part of one, and what was decided. */
export interface ReviewedRecord {
  /** The record's name, or that of a part of it: `L-7:heading`. */
  readonly record: string
  readonly row: number
  /** The part of an assembly, and the record that it belongs to. */
  readonly part?: {
    readonly record: string
    readonly key: string
    readonly prompt: string
    readonly chosenBy: 'first' | 'person' | 'score'
  }
  /** The answer that the assembly takes as long as nobody decides: the first valid one, or the best by score. */
  readonly taken?: number | undefined
  /** Whether an answer was accepted for other inputs than those of now. */
  readonly isOutOfDate?: boolean
  readonly candidates: readonly Candidate[]
  readonly state: 'accepted' | 'discarded' | 'open'
  /** The answer that was accepted. */
  readonly accepted: number | undefined
  /** The parts of its answer that can be regenerated alone. */
  readonly parts: readonly string[]
  /** Why it has no answer. */
  readonly problems: readonly Problem[]
}

/** A question of a run, with the answers that the run was given: a record, or a part of one. */
export interface Subject {
  /** How decisions call it: `L-7`, or `L-7:heading`. */
  readonly name: string
  readonly record: BatchRecord
  readonly headings: readonly string[]
  readonly answers: readonly Answered[]
  /** By what a text is read as an answer; undefined where nothing can be asked. */
  readonly reader: Reader | undefined
  /** Why nothing can be asked. */
  readonly problems: readonly Problem[]
  readonly part?: ReviewedRecord['part']
  readonly taken?: number | undefined
  /** For a part of an assembly: the fingerprint of what it is asked with. */
  readonly inputs?: string
  /** Asks once more. */
  readonly ask: (wanted: Wanted) => Promise<Answered>
}

/** The state of a subject by the decisions about it. */
export function reviewedOf(subject: Subject, lines: readonly ReviewLine[]): ReviewedRecord {
  const { name, record, answers, reader, part, taken, inputs, problems } = subject
  const candidates = answers.flatMap((answered, i) => {
    if (answered.text === undefined) return []
    const isMock = answered.answers.some(({ answer }) => answer.isMock)
    const candidate = candidateOf(i + 1, answered.text, answered, isMock)
    return [{ ...candidate, problems: answered.problems, ...(answered.problems.length > 0 && { answer: undefined }) }]
  })
  let isDiscarded = false
  for (const line of lines) {
    if (line.does !== 'add') isDiscarded = line.does === 'discard'
    else {
      if (reader) candidates.push(candidateOf(nextNumber(answers, candidates), line.text, reader, line.isMock === true, line))
      isDiscarded = false
    }
  }
  const line = acceptedLine(lines)
  const accepted = line?.answer
  // Without a decision the assembly chooses: a discarded choice is open again.
  const isAutomatic = part !== undefined && part.chosenBy !== 'person'
  // An accepted answer stays, even if what it answered is no longer asked.
  if (line?.text !== undefined && reader && candidates.find(({ number }) => number === line.answer)?.text !== line.text)
    candidates.push(candidateOf(line.answer, line.text, reader, false))
  const similar = nearlyTheSame(candidates.map(({ text }) => text))
  const best = candidates.find(({ number }) => number === accepted) ?? candidates.findLast(({ answer }) => answer !== undefined)
  return {
    record: name,
    row: record.row,
    ...(part && { part, taken, isOutOfDate: line?.inputs !== undefined && line.inputs !== inputs }),
    candidates: candidates.map((candidate, i) => ({ ...candidate, similar: similar[i] })),
    state: accepted !== undefined ? 'accepted' : isDiscarded && !isAutomatic ? 'discarded' : 'open',
    accepted,
    parts: partsOf(reader, best),
    problems: problems.length > 0 ? problems : (answers[0]?.problems ?? []),
  }
}

/** The number of a further answer: one that no answer had, those that failed too. */
export function nextNumber(answers: readonly Answered[], candidates: readonly Pick<Candidate, 'number'>[]): number {
  return Math.max(answers.length, ...candidates.map(({ number }) => number)) + 1
}

/** The parts of the answer from which the rest is taken. */
function partsOf(reader: Reader | undefined, from: Candidate | undefined): readonly string[] {
  const form = reader?.form
  return form ? form.partsOf(from && form.read(from.text).partial) : []
}
