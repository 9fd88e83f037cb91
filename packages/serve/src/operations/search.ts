import type { ListedPrompt } from './catalogue.js'

/** What prompts are searched by. */
export interface PromptSearch {
  readonly tag?: string
  /** Words that are all in the name, the title, the description or the tags. */
  readonly q?: string
}

/** Whether a prompt fits a search. */
export function matches({ name, title, about = '', tags }: ListedPrompt, { tag, q = '' }: PromptSearch): boolean {
  const text = [name, title, about, ...tags].join(' ').toLowerCase()
  const words = q.toLowerCase().split(/\s+/)
  return (tag === undefined || tags.includes(tag)) && words.every((word) => text.includes(word))
}
