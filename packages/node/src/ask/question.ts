import {
  ProblemError,
  type CheckedReply,
  type Form,
  type ModelAnswer,
  type ModelRequest,
  type PreparedValues,
  type Problem,
  type Turn,
} from 'dunelight'
import {
  attachmentTokens,
  byteList,
  contained,
  bytesOf,
  EnvelopeWriter,
  Screens,
  DEFAULT_PERSONAL,
  PersonalDetector,
  restorePlaceholders,
  type ScreenFinding,
  problem,
  type Batch,
  type BatchRecord,
  defined,
} from 'dunelight/host'
import { ModelUnreachable } from '../models/model-queue.js'
import { bytesText, sha256 } from '../output/bytes.js'
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
}

/** Where answers come from: what was answered before, or the model. */
export type Answering = (
  key: string,
  request: ModelRequest,
  /** Whether the record has been asked for already, and others wait for it. */
  urgent: boolean,
) => Promise<{ readonly answer: ModelAnswer; readonly cached: boolean }>

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
    private readonly answering: Answering,
    private readonly counter: () => Promise<CountTokens>,
  ) {
    this.screens = new Screens(batch.library?.artefacts.library.screens ?? [], {
      countTokens: (text) => defined(this.countTokens)(text),
      detector: new PersonalDetector(
        batch.library?.artefacts.library.personal ?? DEFAULT_PERSONAL,
        batch.library?.artefacts.library.locale,
      ),
    })
    this.settings = batch.prompt.settings
  }

  async ask(record: BatchRecord, prepared: PreparedValues, headings: readonly string[], wanted: Wanted = {}): Promise<Answered> {
    const { candidate = 1, retry } = wanted
    const { locale, model: batchModel, prompt } = this.batch
    const options = {
      record: record.id,
      ...(batchModel.seed !== undefined && { seed: batchModel.seed }),
      ...(locale !== undefined && { locale }),
    }
    const answers: { answer: ModelAnswer; cached: boolean; estimate?: number }[] = []
    const notes: ScreenFinding[] = []
    let form: Form | undefined
    let reply: CheckedReply | undefined
    let read: Answered['read']
    try {
      const rendering = contained(() => prepared.render(options))
      form = rendering.form
      read = (text) => rendering.read(text)
      let turns: readonly Turn[] = retry ? [...rendering.turns, ...regeneratePart(retry)] : rendering.turns
      const sent = textsOf(turns)
      const forbidden = await this.screen('request', sent, [], notes)
      if (forbidden.length > 0) return { text: undefined, form, reply, problems: forbidden, notes, answers }
      for (let left = this.again; ; left--) {
        const asked = turns
        const bytes = bytesOf(asked)
        const fingerprint = sha256(byteList(bytes))
        const enveloped = (of: BatchRecord) => (name: string) =>
          bytesText(this.writerFor(name, headings).of(of, prepared, bytes, fingerprint))
        const request: ModelRequest = {
          candidate,
          prompt: prompt.name,
          record: record.id,
          turns: asked,
          settings: this.settings,
          form,
          fingerprint,
          values: prepared.values,
          enveloped: enveloped(record),
        }
        const key = this.keyOf({ ...request, record: '', enveloped: enveloped({ ...record, id: '', row: 0 }) })
        const answered = await this.answering(key, request, left < this.again)
        answers.push({ ...answered, ...(batchModel.tokens && { estimate: await this.tokensOf(asked) }) })
        const { answer } = answered
        const text = restorePlaceholders(answer.text, rendering.masked)
        reply = contained(() => rendering.read(answer.text))
        const problems = [...faultsOf(answer, reply), ...(await this.screen('reply', [answer.text], sent, notes))]
        const useless = problems.length > 0
        if (!useless || left <= 0 || answer.finish === 'refused') return { text, form, reply, read, problems, notes, answers, turns: asked }
        turns = [...turns, ...correction(answer.text, problems)]
      }
    } catch (fault) {
      if (!(fault instanceof ProblemError) || fault instanceof ModelUnreachable || fault instanceof ScreenStop) throw fault
      return { text: undefined, form, reply, problems: fault.problems, notes, answers }
    }
  }

  /** Equal requests, whatever their record, have one key: SHA-256 over all that is sent, the service, and the candidate. */
  private keyOf(request: ModelRequest): string {
    const { body, identity, service = identity } = this.model
    const { candidate, fingerprint, settings, form } = request
    const sent = body ? body(request) : JSON.stringify([fingerprint, settings, form?.name, form?.schema()])
    return sha256(`${service}${candidate} ${sent}`)
  }

  /**
   * What a screen of that side finds and has rejected; what is only to be noted is noted.
   *
   * @throws ScreenStop where all is to stop.
   */
  private async screen(
    side: ScreenFinding['side'],
    texts: readonly string[],
    sent: readonly string[],
    notes: ScreenFinding[],
  ): Promise<readonly Problem[]> {
    if (this.screens.needTokenCounts(side, texts)) this.countTokens ??= await this.counter()
    const findings = this.screens.find(side, texts, sent)
    notes.push(...findings.filter(({ action }) => action === 'note'))
    const problemsFor = (action: ScreenFinding['action']) =>
      findings
        .filter((finding) => finding.action === action)
        .map(({ screen, message }) => problem('screen-found', { screen, side, detail: message }))
    const stopping = problemsFor('stop')
    if (stopping.length > 0) throw new ScreenStop(stopping)
    return problemsFor('reject')
  }

  private async tokensOf(turns: readonly Turn[]): Promise<number> {
    const countTokens = (this.countTokens ??= await this.counter())
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

/** A screen found what nothing may be asked with. */
export class ScreenStop extends ProblemError {
  override readonly name: string = 'ScreenStop'
}

/** Everything that is sent to a model. */
function textsOf(turns: readonly Turn[]): string[] {
  return turns.flatMap(({ text, parts = [] }) => [text, ...parts.flatMap((part) => (part.kind === 'text' ? [part.text] : []))])
}

/** The problems of an answer: how it ended before its content. */
function faultsOf({ finish, text }: ModelAnswer, reply: CheckedReply): readonly Problem[] {
  if (finish === 'refused') return [problem('answer-refused', { detail: text.replace(/\s+/g, ' ').trim().slice(0, 120) })]
  if (text.trim() === '') return [problem('reply-empty', {})]
  if (finish === 'cut-off' && reply.problems.every((p) => p.code !== 'reply-cut-off'))
    return [problem('reply-cut-off', { within: '' }), ...reply.problems]
  return reply.problems
}

/** Asks for one part of an answer once more. */
function regeneratePart({ text, part }: NonNullable<Wanted['retry']>): Turn[] {
  const ask = `Write ${part} once more, in other words. Leave all else as it is, and give the whole answer again in the same form.`
  return [
    { role: 'assistant', text },
    { role: 'user', text: ask },
  ]
}

/** The reply that was no use, and what is asked for in its place. */
function correction(text: string, problems: readonly Problem[]): Turn[] {
  const list = problems.slice(0, LISTED_PROBLEMS).map(({ message, hint }) => `- ${message}${hint === undefined ? '' : ` (${hint})`}`)
  const ask: Turn = {
    role: 'user',
    text: `That answer cannot be used:\n${list.join('\n')}\n\nGive the whole answer once more, in the form that was asked for and with nothing around it.`,
  }
  return text.trim() === '' ? [ask] : [{ role: 'assistant', text }, ask]
}

const LISTED_PROBLEMS = 8

/** A line of the answer cache. */
export function cachedAnswer(key: string, { record, prompt }: ModelRequest, answer: ModelAnswer, { name }: ReadyModel): CachedAnswer {
  return { key, record, prompt, model: name, at: new Date().toISOString(), ...answer }
}
