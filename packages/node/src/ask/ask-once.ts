import type { Library, PreparedValues, Problem } from 'dunelight'
import { AnswerSource } from './answer-source.js'
import { loneBatch, loneRecord } from './lone-batch.js'
import { Questions, type Answered } from './question.js'
import type { QueueListener } from '../models/model-queue.js'
import type { ReadyModel } from '../models/ready-model.js'

/** One record that is asked for. */
export interface AskOnceOptions extends QueueListener {
  readonly library: Library
  /** The library's folder, where answers are kept. */
  readonly folder: string
  readonly prompt: string
  readonly prepared: PreparedValues
  /** What the record is called. */
  readonly record: string
  readonly model: ReadyModel
  readonly corrections?: number
  readonly fresh?: boolean
  readonly locale?: string
  readonly seed?: number
  /** Which of several answers to the same question, from 1. */
  readonly candidate?: number
  readonly notice?: (problem: Problem) => void
}

/**
 * Asks a model for one record and reads the reply. A cached answer is used again.
 *
 * @param options - The library, its folder, the prompt with its values, and the model.
 * @returns The answer, with the reply, its problems and the tokens used.
 * @throws ProblemError if the prompt cannot be rendered.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const prompt = library.prompt('survey/grade')
 * const prepared = prompt.prepare({ item: { 'object-no': 'MH-0007', 'survey-note': 'Rust on the hinge.' } })
 * const model = readyModel(library, prompt.name)
 * const answered = await askOnce({ library, folder: scratch, prompt: prompt.name, prepared, record: 'MH-0007', model })
 * answered.text !== '' // => true
 */
export async function askOnce(options: AskOnceOptions): Promise<Answered> {
  const { library, prompt, prepared, model, corrections = 2, candidate = 1, locale, seed, record: id } = options
  const batch = loneBatch(library, prompt, { seed, locale })
  const source = await AnswerSource.open({ ...options, batch })
  try {
    const questions = new Questions(batch, model, corrections, source)
    return await questions.ask(loneRecord(id, prepared), prepared, [], { candidate })
  } finally {
    await source.close()
  }
}
