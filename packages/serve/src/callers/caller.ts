/** What a caller can do with a prompt, and beside it. */
export const OPERATIONS = ['render', 'ask', 'read', 'metrics'] as const
/** One of the operations. */
export type Operation = (typeof OPERATIONS)[number]

/** A program that may call the service. */
export interface Caller {
  readonly name: string
  /** A part of its tokens, by which it is found. */
  readonly id: string
  /** SHA-256 of its tokens: two of them while one takes the place of the other. */
  readonly tokens: readonly string[]
  /** The day after which its tokens are refused. */
  readonly expires?: string
  /** The prompts that it may use, beside those with one of its tags. */
  readonly prompts: readonly string[] | 'all'
  readonly tags: readonly string[]
  readonly operations: readonly Operation[]
  /** The channels that it may name; the first is its default. */
  readonly channels: readonly string[]
  /** Whether it may name an edition by number. */
  readonly editions: boolean
  readonly perMinute?: number
  readonly tokensADay?: number
  /** Whether it shares cached answers with the other callers that do. */
  readonly shareCache: boolean
}

/** A caller that may do everything: the owner of the process. */
export function ownerNamed(name: string, channel: string | undefined): Caller {
  return {
    name,
    id: 'owner',
    tokens: [],
    prompts: 'all',
    tags: [],
    operations: OPERATIONS,
    channels: channel === undefined ? [] : [channel],
    editions: true,
    shareCache: false,
  }
}

/** Whether a caller may know of a prompt. */
export function mayUse(caller: Caller, prompt: { readonly name: string; readonly tags: readonly string[] }): boolean {
  return caller.prompts === 'all' || caller.prompts.includes(prompt.name) || caller.tags.some((tag) => prompt.tags.includes(tag))
}
