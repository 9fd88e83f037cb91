import { Counter, Gauge, Histogram, Registry } from 'prom-client'
import type { ServiceFault } from '../faults/fault.js'
import type { AskResult } from '../operations/results.js'

/** What was done, for whom it is counted. */
export interface Measured {
  readonly operation: string
  readonly prompt: string
  readonly edition: string
  readonly status: string
}

const LABELS = ['operation', 'prompt', 'edition', 'status'] as const
const ASKED = ['prompt', 'edition', 'model'] as const
/** Seconds: from a rendering to a slow model. */
const BUCKETS = [0.001, 0.005, 0.02, 0.1, 0.5, 2, 5, 15, 60]

/** The figures of a service, for Prometheus. */
export class Metrics {
  private readonly registry = new Registry()
  private readonly counted = new WeakSet<ServiceFault>()
  private readonly requests = this.counter('dunelight_requests_total', 'Requests, by prompt and edition', LABELS)
  private readonly seconds = new Histogram({
    name: 'dunelight_request_seconds',
    help: 'Seconds that requests took',
    labelNames: ['operation', 'prompt'],
    buckets: BUCKETS,
    registers: [this.registry],
  })
  private readonly tokens = this.counter('dunelight_tokens_total', 'Tokens that models counted', [...ASKED, 'direction'])
  private readonly corrections = this.counter('dunelight_corrections_total', 'Replies that were asked for again', ASKED)
  private readonly cached = this.counter('dunelight_cached_answers_total', 'Answers from the cache', ASKED)
  private readonly refused = this.counter('dunelight_refused_requests_total', 'Requests that were refused before their prompt was found', [
    'kind',
  ])
  private readonly reloads = this.counter('dunelight_reloads_total', 'Changes of the wordings in use', ['result'])

  constructor(inFlight: () => number, serial: () => number | undefined) {
    const registers = [this.registry]
    new Gauge({
      name: 'dunelight_requests_in_flight',
      help: 'Requests in flight',
      registers,
      collect() {
        this.set(inFlight())
      },
    })
    new Gauge({
      name: 'dunelight_channel_serial',
      help: 'The serial of the channel statement in use',
      registers,
      collect() {
        this.set(serial() ?? 0)
      },
    })
  }

  /** The text that Prometheus reads, and its media type. */
  async text(): Promise<{ readonly text: string; readonly mediaType: string }> {
    return { text: await this.registry.metrics(), mediaType: this.registry.contentType }
  }

  measured(done: Measured, seconds: number, fault?: ServiceFault): void {
    if (fault) this.counted.add(fault)
    this.requests.inc({ ...done })
    this.seconds.observe({ operation: done.operation, prompt: done.prompt }, seconds)
  }

  answered(prompt: string, { edition, model, usage, corrections, cached }: AskResult): void {
    const labels = { prompt, edition: String(edition ?? 'working'), model }
    if (usage) {
      this.tokens.inc({ ...labels, direction: 'sent' }, usage.sent)
      this.tokens.inc({ ...labels, direction: 'received' }, usage.received)
    }
    if (corrections > 0) this.corrections.inc(labels, corrections)
    if (cached) this.cached.inc(labels)
  }

  /** A request that was refused before its prompt was found. It is counted once, however often it is told. */
  turnedAway(fault: ServiceFault): void {
    if (!this.counted.has(fault)) this.refused.inc({ kind: fault.kind })
    this.counted.add(fault)
  }

  reloaded(isTaken: boolean): void {
    this.reloads.inc({ result: isTaken ? 'taken' : 'refused' })
  }

  private counter<T extends string>(name: string, help: string, labelNames: readonly T[]): Counter<T> {
    return new Counter({ name, help, labelNames: [...labelNames], registers: [this.registry] })
  }
}
