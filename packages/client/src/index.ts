// Prompts of a service by name. It works in browsers and in Node.
export { type Client, connect, type ConnectOptions, type LocalOptions } from './connect.js'
export type { ClientAskOptions, ClientPrompt, ClientRenderOptions } from './remote/client-prompt.js'
export { Refusal } from './remote/refusal.js'
export { type ClientCache, memoryCache } from './local/cache.js'
export { indexedDbCache } from './local/indexed-db.js'
export type { AskedPrompt, PromptEntry, ReadPrompt, RefusalDetails, RenderedPrompt, ReplyPiece } from './remote/wire.js'
