import { serveMock } from '@dunelight/node'
import { defineCommand, LIBRARY, whole } from '../define-command.js'
import { readMockFaults } from '../flags/mock-faults.js'
import { openToRender } from '../flags/open-library.js'
import { colorsFor, EXIT, WrongUse, type CommandContext } from '../ui/context.js'
import { interrupted } from '../ui/serving.js'

interface MockFlags {
  readonly port?: number
  readonly seed?: number
  readonly delay?: number
  readonly faults?: string
}

export const mockCommand = defineCommand({
  name: 'mock',
  group: 'Ask',
  about: 'Serve the built-in mock model on this machine.',
  arguments: [LIBRARY],
  options: [
    ['--port <n>', 'default: 7117; 0 for a free port', whole],
    ['--seed <n>', 'each seed gives other answers', whole],
    ['--delay <ms>', 'milliseconds before an answer', whole],
    [
      '--faults <shares>',
      'busy=10%,slow=5%: slow, busy, broken, dropped, cut-off, in-prose, passage-missing, wrong-label, figure, refusal, empty, endless',
    ],
  ],
  examples: ['mock demo/marram-house'],
  run: (context, [folder], flags: MockFlags) => serve(context, folder, flags),
})

/** The port that the demo's models.yaml asks at. */
const PORT = 7117

/** Serves a made-up model on this machine, until it is interrupted. */
async function serve(context: CommandContext, folder: string, flags: MockFlags): Promise<number> {
  const library = await openToRender(folder)
  const { stderr, stdout } = context
  const c = colorsFor(stderr, context.env)
  const { port = PORT, seed, delay, faults } = flags
  const server = await serveMock({
    library,
    port,
    ...(seed !== undefined && { seed }),
    ...(delay !== undefined && { delay }),
    ...(faults !== undefined && { faults: readMockFaults(faults) }),
    onRequest: (record, way) => stderr.write(`${record === '' ? 'request' : record}${way === undefined ? '' : c.yellow(`  ${way}`)}\n`),
  }).catch((fault: unknown) => {
    if (!(fault instanceof Error) || !('code' in fault) || fault.code !== 'EADDRINUSE') throw fault
    throw new WrongUse(`port ${port} is in use`, 'add --port 0 for a free one')
  })
  stdout.write(`${server.url}\n`)
  stderr.write(c.dim('mock model; Ctrl+C stops it\n'))
  await interrupted(context)
  await server.close()
  stderr.write(`${server.requests()} requests\n`)
  return EXIT.done
}
