import { createStore, get, set } from 'idb-keyval'
import type { ClientCache } from './cache.js'

/**
 * A cache in the browser's IndexedDB.
 *
 * @param name - The name of the database. Default: `dunelight`.
 * @returns The cache.
 * @example
 * const cache = indexedDbCache('front-desk')
 * typeof cache.get // => 'function'
 */
export function indexedDbCache(name = 'dunelight'): ClientCache {
  let store: ReturnType<typeof createStore> | undefined
  const opened = () => (store ??= createStore(name, 'editions'))
  return {
    get: (key) => get<Uint8Array>(key, opened()),
    set: (key, bytes) => set(key, bytes, opened()),
  }
}
