import { mkdir, realpath } from 'node:fs/promises'
import { join } from 'node:path'
import { ProblemError, type CheckedReply, type Rendering, type Reply, type Turn } from 'dunelight'
import { problem } from 'dunelight/host'
import { AuditLog, openLibrary, type ReadyModel } from '@dunelight/node'
import {
  fingerprintOf,
  Lease,
  ModelUnreachable,
  RequestCancelled,
  sha256,
  stateFolder,
  textBytes,
  type ApproverOptions,
} from '@dunelight/node/host'
import type { Caller, Operation } from '../callers/caller.js'
import { TokenBudgets } from '../callers/token-budget.js'
import { faultOf, ServiceFault } from '../faults/fault.js'
import { Metrics } from '../observe/metrics.js'
import { GENAI_CONVENTIONS, traced, type Attribute } from '../observe/traces.js'
import { AnswerCaches } from '../operations/answer-cache.js'
import { Asker } from '../operations/asker.js'
import { described, listed, type DescribedPrompt, type ListedPrompt } from '../operations/catalogue.js'
import { screenedPieces, type Piece } from '../operations/partial.js'
import { matches, type PromptSearch } from '../operations/search.js'
import { renderOptions, type PromptRequest, type ReadRequest } from '../operations/request.js'
import {
  askResult,
  editionIn,
  messagesOf,
  type AskResult,
  type ReadResult,
  type RenderResult,
  type TraceResult,
} from '../operations/results.js'
import type { Wording } from '../wordings/wording.js'
import { Wordings, type WordingRequest } from '../wordings/wordings.js'

/** What a service is made of, whatever protocol it is called by. */
export interface ServiceOptions {
  /** The library's folder. */
  readonly library: string
  /** The channel whose editions are served. Default: none, and the working files are served, for development. */
  readonly channel?: string
  /** Whose approvals an edition needs. */
  readonly approvers?: ApproverOptions
  /** Whether nothing is served any more when the channel statement has expired. Default: false. */
  readonly strictExpiry?: boolean
  /** The folder of what has to outlast the process; one service at a time uses it. Default: one for the library, in `DUNELIGHT_STATE`. */
  readonly state?: string
  /** The model of every question: a name in models.yaml, `mock`, or a model of the program. Default: the one that the prompt names. */
  readonly model?: string | ReadyModel
  /** Seconds after which a question is given up. Default: 120. */
  readonly seconds?: number
  /** Requests at the same time. Default: 4,000. */
  readonly concurrent?: number
  /** Attributes of spans by the conventions for generative models: their version, `1.37`. Default: none. */
  readonly genAiConventions?: string
  /** Hears what the operator should know. */
  readonly log?: (line: ServiceLogLine) => void
}

/** A line for the operator. It has no values, and no secrets. */
export interface ServiceLogLine {
  readonly level: 'info' | 'warning' | 'error'
  readonly message: string
}

const USUAL_SECONDS = 120
const USUAL_CONCURRENT = 4000

/** Hears of a question while it is answered. */
export interface AskListener {
  readonly signal?: AbortSignal
  readonly onPiece?: (piece: Piece) => void
}

/** The prompts of a library for callers: found, rendered, asked and read. HTTP and the Model Context Protocol are two ways to it. */
export class Service {
  readonly metrics: Metrics
  private inFlight = 0
  private isClosing = false
  private idle: (() => void) | undefined

  private constructor(
    private readonly options: ServiceOptions,
    readonly wordings: Wordings,
    private readonly asker: Asker,
    private readonly parts: {
      readonly title: string
      readonly root: string
      readonly state: string
      readonly lease: Lease
      readonly budgets: TokenBudgets
      readonly caches: AnswerCaches
      readonly audit: AuditLog | undefined
    },
  ) {
    this.metrics = new Metrics(
      () => this.inFlight,
      () => this.wordings.current.statement?.serial,
    )
    this.wordings.onChange(() => this.tellChange())
  }

  /**
   * Opens a service.
   *
   * @throws ProblemError if the library cannot be served, or if another service uses the state folder.
   */
  static async open(options: ServiceOptions): Promise<Service> {
    if (options.genAiConventions !== undefined && options.genAiConventions !== GENAI_CONVENTIONS)
      throw new TypeError(`the conventions ${options.genAiConventions} are unknown; known: ${GENAI_CONVENTIONS}`)
    const root = await realpath(options.library).catch(() => options.library)
    const { channel, approvers = {}, strictExpiry = false, model } = options
    if (channel === undefined && (approvers.file !== undefined || approvers.digest !== undefined))
      throw new TypeError('approvers need a channel: the working files have no approvals')
    const state = options.state ?? join(stateFolder(), 'service', sha256(textBytes(root)).slice(0, 24))
    const lease = await takeState(state)
    try {
      const wordings = await Wordings.open({ root, channel, approvers: { state, ...approvers }, strictExpiry })
      // What is audited, and for how long it is kept, is said by the library as it is now, whatever is served of it.
      const own = await openLibrary(root, { countTokens: () => 0 })
      const audit = AuditLog.of(root, own, { notice: (p) => options.log?.({ level: 'warning', message: p.message }) })
      await audit?.ready()
      const [budgets, caches] = [await TokenBudgets.open(state), new AnswerCaches(state, own.artefacts.library.audit?.retention)]
      const asker = new Asker({ caches, budgets, audit, model })
      await wordings.watch()
      return new Service(options, wordings, asker, { title: own.title ?? 'Prompts', root, state, lease, budgets, caches, audit })
    } catch (fault) {
      await lease.release()
      throw fault
    }
  }

  /** The library's folder. */
  get root(): string {
    return this.parts.root
  }

  /** The title of the library. */
  get title(): string {
    return this.parts.title
  }

  /** The folder of what outlasts the process. */
  get state(): string {
    return this.parts.state
  }

  /** Whether requests are taken, and why not. */
  get health(): { readonly isUp: boolean; readonly refusal: Error | undefined } {
    const { wordings } = this
    const isUp = !this.isClosing && wordings.expired === undefined && wordings.current.channels.size > 0
    return { isUp, refusal: wordings.refusal }
  }

  /** The prompts that a caller may use. */
  list(caller: Caller, search: PromptSearch & { readonly channel?: string } = {}): ListedPrompt[] {
    return this.wordings
      .forCaller(caller, search.channel)
      .map(listed)
      .filter((prompt) => matches(prompt, search))
  }

  async describe(caller: Caller, name: string, request: WordingRequest = {}): Promise<DescribedPrompt> {
    return described(await this.wordings.find(caller, name, request))
  }

  /** Values in, turns out. */
  render(caller: Caller, name: string, request: PromptRequest): Promise<RenderResult> {
    return this.work(caller, 'render', name, request, async (wording) => {
      const turns = withValues(request, () => wording.prompt.turns(request.values, renderOptions(request)))
      const fingerprint = fingerprintOf(turns)
      await this.audited(caller, wording, request, turns, fingerprint)
      return { turns, fingerprint, ...editionIn(wording) }
    })
  }

  /** The same as JSON in UTF-8, one character for each byte: text goes straight into it. */
  renderBytes(caller: Caller, name: string, request: PromptRequest): Promise<string> {
    return this.work(caller, 'render', name, request, async (wording) => {
      const prepared = withValues(request, () => wording.prompt.prepare(request.values))
      const options = renderOptions(request)
      const turns = withValues(request, () => prepared.bytes(options))
      const fingerprint = sha256(turns)
      if (this.parts.audit) await this.audited(caller, wording, request, prepared.turns(options), fingerprint)
      const edition = wording.edition ? `,"edition":${wording.edition.number}` : ''
      return `{"turns":${turns},"fingerprint":"${fingerprint}"${edition}}`
    })
  }

  /** The same with the origins of each turn's text: for pages that show them. */
  trace(caller: Caller, name: string, request: PromptRequest): Promise<TraceResult> {
    return this.work(caller, 'render', name, request, async (wording) => {
      const { turns, fingerprint, problems } = rendered(wording, request)
      await this.audited(caller, wording, request, turns, fingerprint)
      const withOrigins = turns.map((turn) => ({ ...turn, origins: turn.origins }))
      return { turns: withOrigins, fingerprint, warnings: messagesOf(problems), ...editionIn(wording) }
    })
  }

  private async audited(
    caller: Caller,
    { name: prompt, library }: Wording,
    { values }: PromptRequest,
    turns: readonly Turn[],
    fingerprint: string,
  ): Promise<void> {
    const entry = { operation: 'render' as const, prompt, values, fingerprint, status: 'done' as const, exchange: { turns } }
    await this.parts.audit?.of({ caller: caller.name, library }).write(entry)
  }

  /** Renders, screens, asks a model, and reads its reply. */
  ask(caller: Caller, name: string, request: PromptRequest, { signal, onPiece }: AskListener = {}): Promise<AskResult> {
    return this.work(caller, 'ask', name, request, async (wording, tell) => {
      const prepared = withValues(request, () => wording.prompt.prepare(request.values))
      const rendering = withValues(request, () => prepared.render(renderOptions(request)))
      const fingerprint = fingerprintOf(rendering.turns)
      const pieces = onPiece && screenedPieces(wording, rendering, onPiece)
      const limit = AbortSignal.timeout((this.options.seconds ?? USUAL_SECONDS) * 1000)
      const given = signal ? AbortSignal.any([limit, signal]) : limit
      const model = this.asker.modelOf(wording)
      if (this.options.genAiConventions !== undefined)
        tell({
          'gen_ai.operation.name': 'chat',
          'gen_ai.request.model': model.name,
          'gen_ai.output.type': rendering.form ? 'json' : 'text',
        })
      try {
        const { answered } = await this.asker.ask({
          caller,
          wording,
          prepared,
          rendering,
          options: renderOptions(request),
          signal: given,
          ...(pieces && { onText: (text: string) => pieces.hear(text) }),
        })
        const result = askResult(wording, fingerprint, model.name, answered)
        this.metrics.answered(name, result)
        tell({ 'dunelight.fingerprint': fingerprint, 'dunelight.cached': result.cached, 'dunelight.corrections': result.corrections })
        if (this.options.genAiConventions !== undefined && result.usage)
          tell({ 'gen_ai.usage.input_tokens': result.usage.sent, 'gen_ai.usage.output_tokens': result.usage.received })
        return result
      } catch (fault) {
        throw askFault(fault, limit, this.options.seconds ?? USUAL_SECONDS)
      } finally {
        pieces?.end()
      }
    })
  }

  /** Reads a reply that the caller has of another source. */
  read(caller: Caller, name: string, request: ReadRequest): Promise<ReadResult> {
    return this.work(caller, 'read', name, request, (wording) => {
      const hasValues = Object.keys(request.values).length > 0
      const read: Reply | CheckedReply = hasValues ? rendered(wording, request).read(request.text) : readAlone(wording, request.text)
      if (read.problems.length > 0) throw new ServiceFault('reply-unusable', 'the reply cannot be used', { problems: read.problems })
      return Promise.resolve({
        answer: read.value,
        ...editionIn(wording),
        repairs: messagesOf(read.repairs),
        ...(isChecked(read) && { unsupported: messagesOf(read.unsupported) }),
      })
    })
  }

  /** Takes no more requests, completes those in flight, and leaves the state to the next process. */
  async close(): Promise<void> {
    this.isClosing = true
    if (this.inFlight > 0)
      await new Promise<void>((resolve) => {
        this.idle = resolve
      })
    await this.wordings.close()
    const { audit, budgets, caches, lease } = this.parts
    await audit?.close()
    await caches.close()
    await budgets.close()
    await lease.release()
  }

  private async work<T>(
    caller: Caller,
    operation: Operation,
    name: string,
    request: WordingRequest,
    run: (wording: Wording, tell: Attribute) => Promise<T>,
  ): Promise<T> {
    if (this.isClosing) throw new ServiceFault('unavailable', 'the service is closing', { retryAfter: 1 })
    if (this.inFlight >= (this.options.concurrent ?? USUAL_CONCURRENT))
      throw new ServiceFault('unavailable', 'too many requests are in flight', { retryAfter: 1 })
    if (!caller.operations.includes(operation)) throw new ServiceFault('not-allowed', `${caller.name} may not ${operation}`)
    const begun = performance.now()
    let wording: Wording | undefined
    let fault: ServiceFault | undefined
    this.inFlight++
    try {
      const found = await this.wordings.find(caller, name, request)
      wording = found
      const attributes = { 'dunelight.prompt': name, 'dunelight.edition': String(found.edition?.number ?? 'working') }
      return await traced(`dunelight.${operation}`, attributes, (tell) => run(found, tell))
    } catch (thrown) {
      fault = faultOf(thrown, (cause) => this.unexpected(cause))
      throw fault
    } finally {
      this.inFlight--
      if (this.inFlight === 0) this.idle?.()
      const edition = String(wording?.edition?.number ?? 'working')
      const seconds = (performance.now() - begun) / 1000
      if (wording) this.metrics.measured({ operation, prompt: name, edition, status: fault?.kind ?? 'done' }, seconds, fault)
      else if (fault) this.metrics.turnedAway(fault)
    }
  }

  /** What nothing foresaw: the log has it without its message, which may have words of the values. */
  unexpected(cause: unknown): void {
    const where = cause instanceof Error ? `${cause.name} ${/\n\s+at .*/.exec(cause.stack ?? '')?.[0].trim() ?? ''}` : typeof cause
    this.options.log?.({ level: 'error', message: `unexpected: ${where}` })
  }

  private tellChange(): void {
    const { refusal, current } = this.wordings
    this.metrics.reloaded(refusal === undefined)
    const message = refusal
      ? `the change was not taken: ${refusal.message}`
      : `the wordings changed${current.statement ? `: serial ${current.statement.serial}` : ''}`
    this.options.log?.({ level: refusal ? 'warning' : 'info', message })
  }
}

async function takeState(state: string): Promise<Lease> {
  await mkdir(state, { recursive: true })
  const lease = await Lease.take(state)
  if (lease instanceof Lease) return lease
  throw new ProblemError([problem('state-taken', { folder: state, process: lease.process, host: lease.host })])
}

function rendered(wording: Wording, request: PromptRequest): Rendering {
  return withValues(request, () => wording.prompt.render(request.values, renderOptions(request)))
}

/** Renders; what is wrong with the values is told by where it is in them. */
function withValues<T>({ values }: PromptRequest, render: () => T): T {
  try {
    return render()
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    throw new ServiceFault('values-invalid', 'the values do not match the prompt', { problems: fault.problems, values })
  }
}

function readAlone({ prompt }: Wording, text: string) {
  try {
    return prompt.read(text)
  } catch (fault) {
    if (fault instanceof TypeError) throw new ServiceFault('request-invalid', `${fault.message}; send the values of the record`)
    throw fault
  }
}

function isChecked(read: Reply | CheckedReply): read is CheckedReply {
  return 'unsupported' in read
}

/** Why a question has no answer, as it is told to the caller. */
function askFault(fault: unknown, limit: AbortSignal, seconds: number): unknown {
  if (fault instanceof ServiceFault) return fault
  if (limit.aborted) return new ServiceFault('model-timeout', `the model took longer than ${seconds} seconds`, { retryAfter: 1 })
  if (fault instanceof RequestCancelled) return new ServiceFault('unavailable', 'the request was given up')
  if (fault instanceof ModelUnreachable) return new ServiceFault('model-failed', fault.message, { problems: fault.problems, retryAfter: 5 })
  if (fault instanceof ProblemError) {
    const isScreen = fault.problems.some(({ code }) => code === 'screen-found')
    const kind = isScreen ? 'screen-stopped' : 'model-failed'
    return new ServiceFault(kind, isScreen ? 'a screen stopped the request' : fault.message, { problems: fault.problems })
  }
  return fault
}
