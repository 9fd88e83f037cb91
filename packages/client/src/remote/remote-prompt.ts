import type { AnyValues } from 'dunelight'
import type { ClientAskOptions, ClientPrompt, ClientRenderOptions } from './client-prompt.js'
import { pathOf, type ServiceHttp } from './http.js'
import type { AskedPrompt, ReadPrompt, RenderedPrompt } from './wire.js'

/** A prompt that the service renders. */
export class RemotePrompt implements ClientPrompt {
  constructor(
    readonly name: string,
    private readonly http: ServiceHttp,
    private readonly channel: string | undefined,
  ) {}

  async render(values: AnyValues, options: ClientRenderOptions = {}): Promise<RenderedPrompt> {
    return (await this.http.post(`/render/${pathOf(this.name)}`, this.body(values, options))) as RenderedPrompt
  }

  async ask(values: AnyValues, { onPiece, model, signal, idempotencyKey, ...options }: ClientAskOptions = {}): Promise<AskedPrompt> {
    if (model) throw new TypeError('the service asks its own models; an application asks one of its own in local mode')
    const path = `/ask/${pathOf(this.name)}`
    const body = this.body(values, options)
    const sent = { ...(signal && { signal }), ...(idempotencyKey !== undefined && { idempotencyKey }) }
    return (await (onPiece ? this.http.stream(path, body, onPiece, sent) : this.http.post(path, body, sent))) as AskedPrompt
  }

  async read(text: string, values?: AnyValues): Promise<ReadPrompt> {
    const body = { text, ...this.body(values ?? {}, {}) }
    return (await this.http.post(`/read/${pathOf(this.name)}`, body)) as ReadPrompt
  }

  private body(values: AnyValues, options: ClientRenderOptions): object {
    return { values, ...options, ...(this.channel !== undefined && { channel: this.channel }) }
  }
}
