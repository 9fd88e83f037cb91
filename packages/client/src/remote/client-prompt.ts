import type { AnyValues, Model, RenderOptions } from 'dunelight'
import type { AskedPrompt, ReadPrompt, RenderedPrompt, ReplyPiece } from './wire.js'

/** How a prompt is rendered. */
export type ClientRenderOptions = Pick<RenderOptions, 'locale' | 'seed'>

/** How a model is asked. */
export interface ClientAskOptions extends ClientRenderOptions {
  /** Gives up the question. */
  readonly signal?: AbortSignal
  /** Hears what has come of the reply: replace your text from `from` on. */
  readonly onPiece?: (piece: ReplyPiece) => void
  /** A request that is repeated with the same key gets the same answer. On the service only. */
  readonly idempotencyKey?: string
  /** The model that the application asks itself. In local mode only. */
  readonly model?: Model
}

/** A prompt by its name, rendered on the service or here. `V`: the values that it takes; `R`: what its replies are read as. */
export interface ClientPrompt<V extends object = AnyValues, R = unknown> {
  readonly name: string
  /** Values in, turns out. */
  render(values: V, options?: ClientRenderOptions): Promise<RenderedPrompt>
  /** Renders, asks and reads. */
  ask(values: V, options?: ClientAskOptions): Promise<AskedPrompt<R>>
  /** Reads a reply; with values its claims are compared with them. */
  read(text: string, values?: V): Promise<ReadPrompt<R>>
}
