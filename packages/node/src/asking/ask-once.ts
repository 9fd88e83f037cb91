import { join } from 'node:path'
import { Batch, batchModel, type BatchRecord, type Library, type ModelRequest, type PreparedValues, type Problem } from 'dunelight'
import { tokenCounter } from '../tokens.js'
import { AnswerLog } from './answer-log.js'
import { Asker } from './asker.js'
import { needsTokens, STORE } from './ask-run.js'
import { keptAnswer, Questions, type Answered } from './question.js'
import type { ReadyModel } from './ready-model.js'

export interface AskOnceOptions {
  readonly library: Library
  /** The library's folder, where answers are kept. */
  readonly folder: string
  readonly prompt: string
  readonly prepared: PreparedValues
  /** What the record is called. */
  readonly record: string
  readonly model: ReadyModel
  readonly again?: number
  readonly fresh?: boolean
  readonly locale?: string
  readonly seed?: number
  readonly notice?: (found: Problem) => void
  readonly onAgain?: (why: string) => void
}

/** Asks for one record, and reads the answer; what was answered before is not asked again. */
export async function askOnce(options: AskOnceOptions): Promise<Answered> {
  const { library, prompt, prepared, model, again = 2, fresh = false, locale, seed } = options
  const definition = batchModel({ prompt, records: { from: 'records' }, ...(seed !== undefined && { seed }) })
  const batch = new Batch(library.prompt(prompt), definition, library, {}, locale)
  const store = model.madeUp ? undefined : await AnswerLog.open(join(options.folder, STORE), options.notice)
  const counter = needsTokens(model, batch) ? await tokenCounter(batch.prompt.tokenEncoding) : undefined
  const asker = new Asker(model.name, model.model, model.rules, counter, options.onAgain)
  const answering = async (key: string, request: ModelRequest) => {
    const before = fresh ? undefined : await store?.get(key)
    if (before) return { answer: before, kept: true }
    const answer = await asker.ask(request)
    await store?.add(keptAnswer(key, request, answer, model))
    return { answer, kept: false }
  }
  try {
    const record: BatchRecord = { row: 1, id: options.record, named: true, cells: [], prepared, problems: [], path: undefined }
    return await new Questions(batch, model, again, answering, counter).ask(record, prepared, [])
  } finally {
    await store?.close()
  }
}
