import { serve, type ServerType } from '@hono/node-server'
import type { HttpService } from './create-service.js'

/** Where a service listens. */
export interface ListenOptions {
  /** Default: 127.0.0.1, which only this machine reaches. */
  readonly hostname?: string
  /** 0 for a free one. */
  readonly port: number
}

/** A service that listens. */
export interface Listening {
  readonly port: number
  /** Takes no more connections, completes what is in flight, and ends the service. */
  close(): Promise<void>
}

/** Milliseconds for the headers of a request, and for all of it: a sender that is slower has its connection closed. */
const HEADERS_TIME = 10_000
const REQUEST_TIME = 30_000
/** Milliseconds after which a connection without requests is closed. */
const IDLE_TIME = 15_000
const HEADER_BYTES = 16 * 1024

/**
 * Has a service listen for HTTP, with limits for slow senders and large headers.
 *
 * @param service - The service.
 * @param options - The port, and the address.
 * @returns The port, and what ends it all.
 * @throws the error of the system if the port is taken.
 * @example
 * const service = await createService({ library: 'demo/marram-house', noToken: true, state: scratch })
 * const { port, close } = await listen(service, { port: 0 })
 * (await fetch(`http://127.0.0.1:${port}/health`)).status // => 200
 * await close()
 */
export async function listen(service: HttpService, options: ListenOptions): Promise<Listening> {
  const { fetch } = service
  const { hostname = '127.0.0.1', port } = options
  const serverOptions = {
    headersTimeout: HEADERS_TIME,
    requestTimeout: REQUEST_TIME,
    keepAliveTimeout: IDLE_TIME,
    connectionsCheckingInterval: 1000,
    maxHeaderSize: HEADER_BYTES,
  }
  const server = await new Promise<ServerType>((resolve, reject) => {
    const begun = serve({ fetch, port, hostname, serverOptions }, () => resolve(begun))
    begun.once('error', reject)
  })
  return {
    port: (server.address() as { port: number }).port,
    close: async () => {
      const closed = new Promise<void>((resolve) => server.close(() => resolve()))
      if ('closeIdleConnections' in server) server.closeIdleConnections()
      await service.close()
      if ('closeAllConnections' in server) server.closeAllConnections()
      await closed
    },
  }
}
