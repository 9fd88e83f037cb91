import { ProblemError, type AssemblyEvent, type Library, type PartQuestion, type PreparedValues, type Problem } from 'dunelight'
import { askAssembly, partFailed, problem, type OriginText } from 'dunelight/host'
import { AnswerSource } from './answer-source.js'
import { loneBatch, loneRecord } from './lone-batch.js'
import { PartQuestions } from './part-questions.js'
import type { Answered } from './question.js'
import type { QueueListener } from '../models/model-queue.js'
import type { ReadyModel } from '../models/ready-model.js'

/** One record that an assembly is asked for. */
export interface AskAssemblyOnceOptions extends QueueListener {
  readonly library: Library
  /** The library's folder, where answers are cached. */
  readonly folder: string
  readonly assembly: string
  /** Values that the assembly's `input` prepared. */
  readonly prepared: PreparedValues
  /** What the record is called. */
  readonly record: string
  readonly model: ReadyModel
  readonly corrections?: number
  readonly fresh?: boolean
  readonly concurrency?: number
  readonly locale?: string
  readonly seed?: number
  readonly notice?: (problem: Problem) => void
  /** Hears what happens, part by part. */
  readonly onEvent?: (event: AssemblyEvent<Answered>) => void
}

/** A document, or why there is none. */
export interface AnsweredAssembly {
  readonly document: OriginText | undefined
  /** The document and the answer of each part. */
  readonly columns: Readonly<Record<string, unknown>> | undefined
  /** What keeps parts from having an answer. */
  readonly problems: readonly Problem[]
  /** All answers that were received, those of unused candidates too. */
  readonly answers: readonly Answered[]
}

/**
 * Asks a model for all parts of an assembly, for one record. Cached answers are used again.
 *
 * @param options - The library, its folder, the assembly with its values, and the model.
 * @returns The document and the parts' answers.
 * @throws ProblemError if a person has to choose: that needs a run.
 * @example
 * const folder = 'demo/marram-house'
 * const library = await openLibrary(folder)
 * const values = { room: { code: 'D0', name: 'Dairy', light: 'dim' }, things: [] }
 * const prepared = library.assembly('room-guide').input.prepare(values)
 * const model = readyModel(library, 'room-guide')
 * const { document } = await askAssemblyOnce({ library, folder: scratch, assembly: 'room-guide', prepared, record: 'D0', model })
 * document.text.startsWith('# ') // => true
 */
export async function askAssemblyOnce(options: AskAssemblyOnceOptions): Promise<AnsweredAssembly> {
  const { library, assembly: name, prepared, model, corrections = 2, locale, seed, record: id, onEvent } = options
  const batch = loneBatch(library, name, { seed, locale })
  const assembly = library.assembly(name)
  const chosen = assembly.parts.filter((part) => part.model.choose === 'person').map((part) => part.model.name)
  if (chosen.length > 0) throw new ProblemError([problem('part-waiting', { parts: chosen })])
  const source = await AnswerSource.open({ ...options, batch })
  const answers: Answered[] = []
  try {
    const parts = new PartQuestions(batch, model, corrections, source)
    const record = loneRecord(id, prepared)
    const answer = async (question: PartQuestion, candidate: number) => {
      const answered = await parts.answer(record, question, candidate)
      answers.push(answered)
      return answered
    }
    const problems: Problem[] = []
    let result: Pick<AnsweredAssembly, 'document' | 'columns'> = { document: undefined, columns: undefined }
    const asked = { record: id, ...(seed !== undefined && { seed }), ...(locale !== undefined && { locale }) }
    for await (const event of askAssembly(assembly, prepared.values, { answer }, asked)) {
      onEvent?.(event)
      if (event.kind === 'failed') problems.push(partFailed(event.key, event.problems))
      if (event.kind === 'document') result = { document: event, columns: event.columns }
    }
    return { ...result, problems, answers }
  } finally {
    await source.close()
  }
}
