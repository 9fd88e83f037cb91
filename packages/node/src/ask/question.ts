import {
  ProblemError,
  type CheckedReply,
  type Form,
  type ModelAnswer,
  type ModelRequest,
  type PreparedValues,
  type Problem,
  type Rendering,
  type Turn,
} from 'dunelight'
import {
  attachmentTokens,
  byteList,
  contained,
  bytesOf,
  EnvelopeWriter,
  exchange,
  Screens,
  screensOf,
  ScreenStop,
  textsOf,
  usageOf,
  type ScreenFinding,
  problem,
  type Batch,
  type BatchRecord,
} from 'dunelight/host'
import { ModelUnreachable } from '../models/model-queue.js'
import { replyEntry, type AuditEntry, type AuditLog } from '../audit/audit-log.js'
import { bytesText, sha256 } from '../output/bytes.js'
import { WriteFault } from '../output/files.js'
import type { CachedAnswer } from './answer-log.js'
import type { ReadyModel } from '../models/ready-model.js'
import type { CountTokens } from '../library/tokens.js'

/** What came of a record. */
export interface Answered {
  readonly text: string | undefined
  readonly form: Form | undefined
  readonly reply: CheckedReply | undefined
  /** Reads another text as an answer to the same question. */
  readonly read?: (text: string) => CheckedReply
  /** What keeps it from having an answer: it is rejected. */
  readonly problems: readonly Problem[]
  /** What screens found that keeps nothing from being used. */
  readonly notes: readonly ScreenFinding[]
  /** The answers received, the last one counts. `cached`: taken from the cache. */
  readonly answers: readonly { readonly answer: ModelAnswer; readonly cached: boolean; readonly estimate?: number }[]
  /** The turns of the last request; undefined if nothing was asked. */
  readonly turns?: readonly Turn[]
}

/** Which answer is asked for. */
export interface Wanted {
  /** Which of several to the same question, from 1. */
  readonly candidate?: number
  /** An answer of which one part is regenerated; the rest stays. */
  readonly retry?: { readonly text: string; readonly part: string }
  /** The record as it is rendered, by who has it already. */
  readonly rendering?: Rendering
  /** Turns after those of the prompt. */
  readonly more?: readonly Turn[]
}

/** Where answers come from: what was answered before, or the model. */
export type Answering = (
  key: string,
  request: ModelRequest,
  /** Whether the record has been asked for already, and others wait for it. */
  urgent: boolean,
) => Promise<{ readonly answer: ModelAnswer; readonly cached: boolean }>

/** Where answers come from, and who hears of them. */
export interface QuestionSource {
  readonly answer: Answering
  readonly counter: () => Promise<CountTokens>
  /** The audit of the library, if it has one. */
  readonly audit?: Pick<AuditLog, 'ready' | 'write'> | undefined
}

type ByteTurns = ReturnType<typeof bytesOf>

/** Puts records to a model, reads what it replies, and has what its output refuses done again. */
export class Questions {
  private readonly writers = new Map<string, EnvelopeWriter>()
  private readonly settings: Readonly<Record<string, unknown>>
  private readonly screens: Screens
  private countTokens: CountTokens | undefined

  constructor(
    private readonly batch: Batch,
    private readonly model: ReadyModel,
    private readonly again: number,
    private readonly source: QuestionSource,
  ) {
    this.screens = batch.library ? screensOf(batch.library.artefacts.library) : new Screens([])
    this.settings = batch.prompt.settings
  }

  /** Asks for one record. The answer is given only when the library's audit has a line of it. */
  async ask(record: BatchRecord, prepared: PreparedValues, headings: readonly string[], wanted: Wanted = {}): Promise<Answered> {
    const { audit } = this.source
    if (!audit) return this.exchange(record, prepared, headings, wanted)
    await audit.ready()
    const told = { prompt: this.batch.prompt.name, values: prepared.values, model: this.model.name }
    try {
      const answered = await this.exchange(record, prepared, headings, wanted)
      await audit.write({ ...told, ...entryOf(answered) })
      return answered
    } catch (fault) {
      if (!(fault instanceof WriteFault)) await audit.write({ ...told, operation: 'ask', status: 'failed' })
      throw fault
    }
  }

  private async exchange(record: BatchRecord, prepared: PreparedValues, headings: readonly string[], wanted: Wanted): Promise<Answered> {
    const { candidate = 1, retry, rendering: known, more = [] } = wanted
    const { locale, model: batchModel, prompt } = this.batch
    const options = {
      record: record.id,
      ...(batchModel.seed !== undefined && { seed: batchModel.seed }),
      ...(locale !== undefined && { locale }),
    }
    const answers: { answer: ModelAnswer; cached: boolean; estimate?: number }[] = []
    let form: Form | undefined
    let read: Answered['read']
    try {
      const rendering = known ?? contained(() => prepared.render(options))
      form = rendering.form
      read = (text) => rendering.read(text)
      const enveloped = (of: BatchRecord, bytes: ByteTurns, fingerprint: string) => (name: string) =>
        bytesText(this.writerFor(name, headings).of(of, prepared, bytes, fingerprint))
      const ask = async (turns: readonly Turn[], isFirst: boolean): Promise<ModelAnswer> => {
        const bytes = bytesOf(turns)
        const fingerprint = sha256(byteList(bytes))
        const request: ModelRequest = {
          candidate,
          prompt: prompt.name,
          record: record.id,
          turns,
          settings: this.settings,
          form,
          fingerprint,
          values: prepared.values,
          enveloped: enveloped(record, bytes, fingerprint),
        }
        const key = this.keyOf({ ...request, record: '', enveloped: enveloped({ ...record, id: '', row: 0 }, bytes, fingerprint) })
        const answered = await this.source.answer(key, request, !isFirst)
        answers.push({ ...answered, ...(batchModel.tokens && { estimate: await this.tokensOf(turns) }) })
        return answered.answer
      }
      const exchanged = await exchange(rendering, {
        ask,
        corrections: this.again,
        more: [...(retry ? regeneratePart(retry) : []), ...more],
        screens: this.screens,
        counter: async () => (this.countTokens ??= await this.source.counter()),
      })
      return { ...exchanged, form, read, answers }
    } catch (fault) {
      if (!(fault instanceof ProblemError) || fault instanceof ModelUnreachable || fault instanceof ScreenStop) throw fault
      return { text: undefined, form, reply: undefined, problems: fault.problems, notes: [], answers }
    }
  }

  /** Equal requests, whatever their record, have one key: SHA-256 over all that is sent, the service, and the candidate. */
  private keyOf(request: ModelRequest): string {
    const { body, identity, service = identity } = this.model
    const { candidate, fingerprint, settings, form } = request
    const sent = body ? body(request) : JSON.stringify([fingerprint, settings, form?.name, form && schemaText(form)])
    return sha256(`${service}${candidate} ${sent}`)
  }

  private async tokensOf(turns: readonly Turn[]): Promise<number> {
    const countTokens = (this.countTokens ??= await this.source.counter())
    const files = turns.flatMap(({ parts = [] }) => parts.flatMap((part) => (part.kind === 'file' ? [attachmentTokens(part)] : [])))
    return [...textsOf(turns).map(countTokens), ...files].reduce((sum, count) => sum + count, 0)
  }

  private writerFor(name: string, headings: readonly string[]): EnvelopeWriter {
    const { library, prompt, model } = this.batch
    let writer = this.writers.get(name)
    if (!writer) {
      const envelope = library?.artefacts.envelopes.get(name)
      if (!library || !envelope)
        throw new ProblemError([
          problem('use-unknown', { name, what: 'envelope', known: [...(library?.artefacts.envelopes.keys() ?? [])] }),
        ])
      writer = new EnvelopeWriter(envelope, library, prompt, headings, model.seed === undefined ? {} : { seed: model.seed })
      this.writers.set(name, writer)
    }
    return writer
  }
}

const schemas = new WeakMap<Form, string>()

/** The schema of a form, as text: most prompts have one form for all records. */
function schemaText(form: Form): string {
  let text = schemas.get(form)
  if (text === undefined) schemas.set(form, (text = JSON.stringify(form.schema())))
  return text
}

/** SHA-256 over the turns of a request, as renderings have it. */
export function fingerprintOf(turns: readonly Turn[]): string {
  return sha256(byteList(bytesOf(turns)))
}

/** What the audit tells of an answer. */
function entryOf({ answers, notes, problems, turns = [] }: Answered): AuditEntry {
  const sent = answers.filter(({ cached }) => !cached)
  const usage = usageOf(sent.map(({ answer }) => answer))
  return {
    operation: 'ask',
    fingerprint: fingerprintOf(turns),
    requests: sent.length,
    ...(sent.length < answers.length && { cached: true }),
    ...replyEntry({ usage, notes, problems, turns, reply: answers.at(-1)?.answer.text }),
  }
}

/** Asks for one part of an answer once more. */
function regeneratePart({ text, part }: NonNullable<Wanted['retry']>): Turn[] {
  const ask = `Write ${part} once more, in other words. Leave all else as it is, and give the whole answer again in the same form.`
  return [
    { role: 'assistant', text },
    { role: 'user', text: ask },
  ]
}

/** A line of the answer cache. */
export function cachedAnswer(key: string, { record, prompt }: ModelRequest, answer: ModelAnswer, { name }: ReadyModel): CachedAnswer {
  return { key, record, prompt, model: name, at: new Date().toISOString(), ...answer }
}
