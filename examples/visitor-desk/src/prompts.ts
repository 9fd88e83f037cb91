import { connect, indexedDbCache, type Client } from '@dunelight/client'
import type { Slip } from './slips.js'

/** The prompts that this application calls. `dunelight types` prints those of a whole library. */
export interface Prompts {
  'visitor/answer': {
    readonly values: { readonly slip: Slip; readonly guide: GuideFile }
    readonly reply: { readonly answer: string; readonly 'in-the-guide': boolean; readonly 'pass-to'?: string | null }
  }
}

export interface GuideFile {
  readonly name: string
  readonly mediaType: 'text/markdown'
  readonly text: string
}

/** The id of the museum's library, as its dunelight.yaml has it. */
const LIBRARY = '5d2c7a90be413f6c88d1a7e2'

/** Two ways to the same prompts: the service asks models, and this page renders what they are sent. */
export interface Connection {
  readonly service: Client<Prompts>
  readonly own: Client<Prompts>
}

export async function connectTo(url: string, token: string): Promise<Connection> {
  const service = await connect<Prompts>(url, { token })
  const own = await connect<Prompts>(url, { token, local: { library: LIBRARY, cache: indexedDbCache('visitor-desk'), refreshSeconds: 1 } })
  return { service, own }
}
