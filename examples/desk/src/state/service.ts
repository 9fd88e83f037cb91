import { defined } from 'dunelight/host'
import type { FileValue } from 'dunelight'
import type { CaseRows } from 'dunelight/host'
import type { ProblemRecord } from 'dunelight'

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

/** What keeps the server from answering, in its own words. */
export class ServiceFault extends Error {}

/** The server of this page: its key stands behind the # of the address. */
export class Service {
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

  private async ask(path: string, init: RequestInit = {}): Promise<Response> {
    const headers = { 'x-desk-key': this.key, 'content-type': 'application/json' }
    const answer = await fetch(path, { ...init, headers }).catch(() => {
      throw new ServiceFault('The command that serves this page has ended. Start it again: dunelight open')
    })
    if (answer.ok) return answer
    const stated = (await answer.json().catch(() => ({}))) as { problems?: { message: string }[] }
    throw new ServiceFault(stated.problems?.[0]?.message ?? `The server answers with status ${answer.status}.`)
  }
}

function withBytes(attachment: (FileValue & { base64?: string }) | string): FileValue | string {
  if (typeof attachment === 'string' || attachment.base64 === undefined) return attachment
  const { base64, ...rest } = attachment
  return { ...rest, bytes: Uint8Array.from(atob(base64), (character) => character.charCodeAt(0)) }
}
