import type { AskResult, DescribedPrompt, ListedPrompt, Piece, ProblemDetails, TraceResult } from '@dunelight/serve'

/** Who the page calls as. */
export interface PageCaller {
  readonly caller: string
  readonly operations: readonly string[]
  readonly channels: readonly string[]
  readonly title: string
  readonly serves: 'working files' | 'editions'
}

/** A refusal of the service, with its problems. */
export class Refusal extends Error {
  constructor(readonly details: ProblemDetails) {
    super(details.detail)
  }
}

/** Begins a session with a token; the cookie that comes back cannot be read by scripts. */
export async function signIn(token: string): Promise<void> {
  await answered(await fetch('/session', { method: 'POST', headers: { authorization: `Bearer ${token}`, ...JSON_BODY }, body: '{}' }))
}

export async function signOut(): Promise<void> {
  await fetch('/session', { method: 'DELETE' })
}

export async function whoCalls(): Promise<PageCaller> {
  return (await answered(await fetch('/session'))) as PageCaller
}

export async function promptList(): Promise<readonly ListedPrompt[]> {
  return ((await answered(await fetch('/prompts'))) as { readonly prompts: readonly ListedPrompt[] }).prompts
}

export async function promptNamed(name: string): Promise<DescribedPrompt> {
  return (await answered(await fetch(`/prompts/${pathOf(name)}`))) as DescribedPrompt
}

export async function trace(name: string, values: unknown): Promise<TraceResult> {
  return (await answered(await post(`/trace/${pathOf(name)}`, { values }))) as TraceResult
}

/** Asks, and hears the text as it comes. */
export async function ask(name: string, values: unknown, onText: (text: string) => void): Promise<AskResult> {
  const response = await post(`/ask/${pathOf(name)}`, { values }, 'text/event-stream')
  if (!response.ok || !response.body) return (await answered(response)) as AskResult
  let text = ''
  let rest = ''
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader()
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    const events = (rest + part.value).split('\n\n')
    rest = events.pop() ?? ''
    for (const event of events) {
      const [, kind, data] = /^event: (\w+)\ndata: (.*)$/.exec(event) ?? []
      if (kind === 'answer' && data !== undefined) return JSON.parse(data) as AskResult
      if (kind === 'problem' && data !== undefined) throw new Refusal(JSON.parse(data) as ProblemDetails)
      if (kind !== 'text' || data === undefined) continue
      const piece = JSON.parse(data) as Piece
      text = text.slice(0, piece.from) + piece.text
      onText(text)
    }
  }
  throw new Error('the answer broke off')
}

const JSON_BODY = { 'content-type': 'application/json' }

export function pathOf(name: string): string {
  return name.split('/').map(encodeURIComponent).join('/')
}

function post(path: string, body: unknown, accept = 'application/json'): Promise<Response> {
  return fetch(path, { method: 'POST', headers: { ...JSON_BODY, accept }, body: JSON.stringify(body) })
}

async function answered(response: Response): Promise<unknown> {
  const data: unknown = await response.json()
  if (!response.ok) throw new Refusal(data as ProblemDetails)
  return data
}
