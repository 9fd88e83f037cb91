import { pathOf, ServiceHttp } from '@dunelight/client/host'
import type { AskResult, DescribedPrompt, ListedPrompt, TraceResult } from '@dunelight/serve'

/** Who the page calls as. */
export interface PageCaller {
  readonly caller: string
  readonly operations: readonly string[]
  readonly channels: readonly string[]
  readonly title: string
  readonly serves: 'working files' | 'editions'
}

/** The service that the page comes from; the session's cookie goes with every request. */
const http = new ServiceHttp(location.origin, {})

/** Begins a session with a token; the cookie that comes back cannot be read by scripts. */
export async function signIn(token: string): Promise<void> {
  await new ServiceHttp(location.origin, { token }).post('/session', {})
}

export async function signOut(): Promise<void> {
  await fetch('/session', { method: 'DELETE' })
}

export async function whoCalls(): Promise<PageCaller> {
  return (await http.get('/session')) as PageCaller
}

export async function promptList(): Promise<readonly ListedPrompt[]> {
  return ((await http.get('/prompts')) as { readonly prompts: readonly ListedPrompt[] }).prompts
}

export async function promptNamed(name: string): Promise<DescribedPrompt> {
  return (await http.get(`/prompts/${pathOf(name)}`)) as DescribedPrompt
}

export async function trace(name: string, values: unknown): Promise<TraceResult> {
  return (await http.post(`/trace/${pathOf(name)}`, { values })) as TraceResult
}

/** Asks, and hears the text as it comes. */
export async function ask(name: string, values: unknown, onText: (text: string) => void): Promise<AskResult> {
  let text = ''
  const answer = await http.stream(`/ask/${pathOf(name)}`, { values }, (piece) => {
    text = text.slice(0, piece.from) + piece.text
    onText(text)
  })
  return answer as AskResult
}
