import type { Context } from 'hono'

/** The headers of a request, by their names in small letters. */
export interface HeaderReader {
  get(name: string): string | null
}

/** What Node's server hands over beside a request. */
interface NodeEnvironment {
  readonly incoming?: { readonly headers: Readonly<Record<string, string | string[] | undefined>> }
}

/** The headers of a request. Node's are read as they are: to make the web's of them takes as long as to render a prompt. */
export function headersOf(c: Context): HeaderReader {
  const incoming = (c.env as NodeEnvironment | undefined)?.incoming
  if (!incoming) return c.req.raw.headers
  return {
    get: (name) => {
      const value = incoming.headers[name]
      return Array.isArray(value) ? value.join(', ') : (value ?? null)
    },
  }
}
