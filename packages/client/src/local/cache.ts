/** Where a client in local mode keeps what it has fetched, and what it has seen: it outlasts the process. Nothing in it is trusted. */
export interface ClientCache {
  get(key: string): Promise<Uint8Array | undefined>
  set(key: string, bytes: Uint8Array): Promise<void>
}

/**
 * A cache that ends with the process: for tests, and for programs that must not write.
 *
 * @returns The cache.
 * @example
 * const cache = memoryCache()
 * await cache.get('channels') // => undefined
 */
export function memoryCache(): ClientCache {
  const entries = new Map<string, Uint8Array>()
  return {
    get: (key) => Promise.resolve(entries.get(key)),
    set: (key, bytes) => {
      entries.set(key, bytes)
      return Promise.resolve()
    },
  }
}

/** A cache with texts and data, under the keys of one library. */
export class TextCache {
  constructor(
    private readonly cache: ClientCache,
    private readonly library: string,
  ) {}

  bytes(key: string): Promise<Uint8Array | undefined> {
    return this.cache.get(`${this.library}/${key}`)
  }

  async setBytes(key: string, bytes: Uint8Array): Promise<void> {
    await this.cache.set(`${this.library}/${key}`, bytes)
  }

  /** Data as it was stored; undefined for what cannot be read: it is fetched again. */
  async data<T>(key: string): Promise<T | undefined> {
    const bytes = await this.bytes(key)
    try {
      return bytes && (JSON.parse(new TextDecoder().decode(bytes)) as T)
    } catch {
      return undefined
    }
  }

  async setData(key: string, data: unknown): Promise<void> {
    await this.setBytes(key, new TextEncoder().encode(JSON.stringify(data)))
  }
}
