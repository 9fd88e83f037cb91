import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { PAGE_POLICY, pageFile } from '@dunelight/node/host'
import { ServiceFault } from '../faults/fault.js'
import { HEADERS } from './replies.js'

/** A built page: it lies beside the built modules, and beside the sources while the package is worked on. */
export class Page {
  private readonly folder: string | undefined

  constructor(name: string) {
    this.folder = [`./${name}`, `../${name}`, `../../dist/${name}`]
      .map((path) => fileURLToPath(new URL(path, import.meta.url)))
      .find((path) => existsSync(join(path, 'index.html')))
  }

  /**
   * A file of the page.
   *
   * @throws ServiceFault if there is none, or if the page is not built.
   */
  async file(address: string): Promise<Response> {
    if (this.folder === undefined) throw new ServiceFault('not-found', 'the pages are not built')
    const file = await pageFile(this.folder, address)
    if (!file) throw new ServiceFault('not-found', 'there is nothing here')
    const policy = `${PAGE_POLICY}; form-action 'none'`
    return new Response(file.bytes, { headers: { ...HEADERS, ...file.headers, 'content-security-policy': policy } })
  }
}
