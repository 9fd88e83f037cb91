// The service of the demo for the bench, with an address that tells the memory in use.
import { createService, listen } from '@dunelight/serve'

const service = await createService({ library: 'demo/marram-house', noToken: true, model: 'mock', state: process.argv[2] })
const fetch = (request, environment) => {
  if (!request.url.endsWith('/memory')) return service.fetch(request, environment)
  globalThis.gc?.()
  return new Response(String(process.memoryUsage().rss))
}
const { port } = await listen({ ...service, fetch }, { port: 0 })
process.on('SIGINT', () => process.exit(0))
process.stdout.write(`${port}\n`)
