import { defined } from 'dunelight/host'
import type { FileValue } from 'dunelight'
import type { CaseRows } from 'dunelight/host'
import type { ProblemRecord } from 'dunelight'
import type { AskEvent, AskedRecord, Models, Question, SessionState } from './asked.js'
import type { Difference, ProductionData } from './production.js'
import type { AssembledRecord, Decided, Decision, DocumentFormat, Estimate, ListedRun, OpenRun, WantedRun } from './runs-data.js'

/** What the desk's own server gives of a library. */
export interface LibraryData {
  readonly folder: string
  readonly root: string
  readonly files: Readonly<Record<string, string>>
  readonly marks: Readonly<Record<string, string>>
  readonly attachments: Readonly<Record<string, FileValue | string>>
  readonly tables: Readonly<Record<string, CaseRows | string>>
  readonly problems: readonly ProblemRecord[]
  readonly data: readonly { readonly path: string; readonly bytes: number }[]
}

export type Saved =
  | { readonly state: 'saved'; readonly mark: string }
  | { readonly state: 'changed'; readonly mark: string | null; readonly text: string | null }

/** The library's files as they are in the last commit. */
export interface Committed {
  readonly title: string
  readonly at: string
  readonly files: Readonly<Record<string, string>>
}

/** Said of a server that does not answer. */
export const LOST = 'The command that serves this page has ended. Start it again: dunelight open'

/** What keeps the server from answering, in its own words. */
export class ServiceFault extends Error {}

/** The server of this page: its key stands behind the # of the address. */
export class Service {
  /** Hears that the server does not answer. */
  onLost: (() => void) | undefined

  constructor(private readonly key: string) {}

  async library(): Promise<LibraryData> {
    const data = (await (await this.ask('/api/library')).json()) as LibraryData
    const attachments = Object.fromEntries(Object.entries(data.attachments).map(([path, attachment]) => [path, withBytes(attachment)]))
    return { ...data, attachments }
  }

  /** The documents that a batch gives to all of its records. */
  async valuesOf(batch: string): Promise<Readonly<Record<string, unknown>>> {
    const values = (await (await this.ask(`/api/values?${new URLSearchParams({ batch }).toString()}`)).json()) as Record<string, FileValue>
    return Object.fromEntries(Object.entries(values).map(([name, fileValue]) => [name, withBytes(fileValue)]))
  }

  /** Documents that cells of a table name, by their paths; a text says why one cannot be read. */
  async documents(table: string, paths: readonly string[]): Promise<ReadonlyMap<string, FileValue | string>> {
    const answer = await this.ask('/api/documents', { method: 'POST', body: JSON.stringify({ table, paths }) })
    const documents = Object.entries((await answer.json()) as Record<string, FileValue | string>)
    return new Map(documents.map(([path, document]) => [path, withBytes(document)]))
  }

  async marks(): Promise<Readonly<Record<string, string>>> {
    return (await (await this.ask('/api/marks')).json()) as Record<string, string>
  }

  /** A table's bytes, and what they are. */
  async table(
    path: string,
    more: { readonly sheet?: string; readonly query?: string } = {},
  ): Promise<{ stream: ReadableStream<Uint8Array>; format: string }> {
    const answer = await this.ask(`/api/table?${new URLSearchParams({ path, ...more }).toString()}`)
    return { stream: defined(answer.body), format: answer.headers.get('x-table-format') ?? 'csv' }
  }

  async save(path: string, text: string, was: string | null): Promise<Saved> {
    const answer = await this.ask('/api/file', { method: 'PUT', body: JSON.stringify({ path, text, was }) })
    return (await answer.json()) as Saved
  }

  /** The files of the last commit; undefined where there is none. */
  async committed(): Promise<Committed | undefined> {
    return (await this.json<Committed | null>('/api/committed')) ?? undefined
  }

  async models(): Promise<Models> {
    return this.json('/api/models')
  }

  /** Allows another number of requests to models. */
  async allow(most: number): Promise<SessionState> {
    return this.json('/api/session', { most })
  }

  /** Puts a question to a model; each event as it comes. */
  async *question(question: Question, signal: AbortSignal): AsyncGenerator<AskEvent> {
    const body = JSON.stringify(question, (_, value: unknown) => withoutBytes(value))
    const answer = await this.ask('/api/ask', { method: 'POST', body, signal })
    let rest = ''
    const reader = defined(answer.body).pipeThrough(new TextDecoderStream()).getReader()
    for (;;) {
      const { done, value } = await reader.read()
      const lines = `${rest}${value ?? ''}`.split('\n')
      rest = lines.pop() ?? ''
      for (const line of lines) yield JSON.parse(line) as AskEvent
      if (done) return
    }
  }

  /** What was asked for a record before, the latest first. */
  async asked(prompt: string, record: string): Promise<readonly AskedRecord[]> {
    return this.json(`/api/asked?${new URLSearchParams({ prompt, record }).toString()}`)
  }

  async runs(): Promise<readonly ListedRun[]> {
    return this.json('/api/runs')
  }

  async estimate(wanted: WantedRun): Promise<Estimate> {
    return this.json('/api/runs/estimate', wanted)
  }

  /** Begins a run, and gives its name. */
  async begin(wanted: WantedRun): Promise<string> {
    return (await this.json<{ run: string }>('/api/runs', wanted)).run
  }

  /** The editions of a prompt, and its history. */
  async production(prompt: string, history: boolean): Promise<ProductionData> {
    return this.json(`/api/production?${new URLSearchParams({ prompt, ...(history && { history: 'yes' }) }).toString()}`)
  }

  async difference(from: string, to: string): Promise<Difference> {
    return this.json(`/api/difference?${new URLSearchParams({ from, to }).toString()}`)
  }

  /** Makes an edition; gives what was done, in words. */
  async publish(wanted: { readonly prompt: string; readonly note: string; readonly uncommitted: boolean }): Promise<string> {
    return (await this.json<{ words: string }>('/api/publish', wanted)).words
  }

  async moveChannel(wanted: { readonly prompt: string; readonly channel: string; readonly edition: number }): Promise<string> {
    return (await this.json<{ words: string }>('/api/channel', wanted)).words
  }

  async pause(run: string): Promise<void> {
    await this.json(`/api/runs/${run}/pause`, {})
  }

  async resume(run: string): Promise<void> {
    await this.json(`/api/runs/${run}/resume`, {})
  }

  /** The answers of a run, with what was decided of them. */
  async openRun(run: string): Promise<OpenRun> {
    return this.json(`/api/runs/${run}`)
  }

  /** The parts of one record of an assembly, and its document. */
  async assembled(run: string, record: string): Promise<AssembledRecord> {
    return this.json(`/api/runs/${run}?${new URLSearchParams({ record }).toString()}`)
  }

  /** The finished document of a record. */
  async document(run: string, record: string, as: DocumentFormat, allowOutOfDate: boolean): Promise<Blob> {
    const query = new URLSearchParams({ record, as, ...(allowOutOfDate && { outOfDate: 'allow' }) })
    return (await this.ask(`/api/runs/${run}/document?${query.toString()}`)).blob()
  }

  async decide(run: string, decision: Decision): Promise<readonly Decided[]> {
    return this.json(`/api/runs/${run}/decide`, decision)
  }

  /** Adds the accepted answers to an example set; gives what was done, in words. */
  async addCases(run: string, set: string, allowMock: boolean): Promise<string> {
    return (await this.json<{ words: string }>(`/api/runs/${run}/cases`, { set, allowMock })).words
  }

  async export(run: string, as: 'csv' | 'xlsx' | 'jsonl'): Promise<Blob> {
    return (await this.ask(`/api/runs/${run}/export?as=${as}`)).blob()
  }

  private async json<T>(path: string, body?: object): Promise<T> {
    const answer = await this.ask(path, body && { method: 'POST', body: JSON.stringify(body) })
    return (await answer.json()) as T
  }

  private async ask(path: string, init: RequestInit = {}): Promise<Response> {
    const headers = { 'x-desk-key': this.key, 'content-type': 'application/json' }
    const answer = await fetch(path, { ...init, headers }).catch((fault: unknown) => {
      if (init.signal?.aborted) throw fault
      this.onLost?.()
      throw new ServiceFault(LOST)
    })
    if (answer.ok) return answer
    const stated = (await answer.json().catch(() => ({}))) as { problems?: { message: string }[] }
    throw new ServiceFault(stated.problems?.[0]?.message ?? `The server answers with status ${answer.status}.`)
  }
}

/** Documents travel with their bytes in Base64. */
function withoutBytes(value: unknown): unknown {
  if (typeof value !== 'object' || value === null || !('bytes' in value) || !(value.bytes instanceof Uint8Array)) return value
  const { bytes, ...rest } = value
  let text = ''
  for (let i = 0; i < bytes.length; i += BYTES_AT_ONCE) text += String.fromCharCode(...bytes.subarray(i, i + BYTES_AT_ONCE))
  return { ...rest, base64: btoa(text) }
}
const BYTES_AT_ONCE = 8192

function withBytes(attachment: (FileValue & { base64?: string }) | string): FileValue | string {
  if (typeof attachment === 'string' || attachment.base64 === undefined) return attachment
  const { base64, ...rest } = attachment
  return { ...rest, bytes: Uint8Array.from(atob(base64), (character) => character.charCodeAt(0)) }
}
