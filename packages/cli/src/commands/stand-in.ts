import { once } from 'node:events'
import { serveStandIn } from '@dunelight/node'
import { defineCommand, LIBRARY, whole } from '../define-command.js'
import { readMisbehaviour } from '../flags/misbehaviour.js'
import { openToRender } from '../flags/open-library.js'
import { colorsFor, EXIT, WrongUse, type CommandContext } from '../ui/context.js'

interface StandInFlags {
  readonly port?: number
  readonly seed?: number
  readonly takes?: number
  readonly misbehave?: string
}

export const standInCommand = defineCommand({
  name: 'stand-in',
  group: 'Ask',
  about: 'Serves a model that makes everything up, on this machine alone.',
  arguments: [LIBRARY],
  options: [
    ['--port <n>', 'where it listens; else 7117, 0 for a free one', whole],
    ['--seed <n>', 'another seed, other answers', whole],
    ['--takes <ms>', 'milliseconds that an answer takes', whole],
    [
      '--misbehave <shares>',
      'busy=10%,slow=5%: slow, busy, broken, dropped, cut-off, in-prose, passage-missing, wrong-label, figure, refusal, empty, endless',
    ],
  ],
  examples: ['stand-in demo/marram-house'],
  run: (context, [folder], flags: StandInFlags) => serve(context, folder, flags),
})

/** The port that the demo's models.yaml asks at. */
const PORT = 7117

/** Serves a made-up model on this machine, until it is interrupted. */
async function serve(context: CommandContext, folder: string, flags: StandInFlags): Promise<number> {
  const library = await openToRender(folder)
  const { stderr, stdout } = context
  const c = colorsFor(stderr, context.env)
  const { port = PORT, seed, takes, misbehave } = flags
  const server = await serveStandIn({
    library,
    port,
    ...(seed !== undefined && { seed }),
    ...(takes !== undefined && { takes }),
    ...(misbehave !== undefined && { misbehave: readMisbehaviour(misbehave) }),
    onAsked: (record, way) => stderr.write(`${record === '' ? 'asked' : record}${way === undefined ? '' : c.yellow(`  ${way}`)}\n`),
  }).catch((fault: unknown) => {
    if (!(fault instanceof Error) || !('code' in fault) || fault.code !== 'EADDRINUSE') throw fault
    throw new WrongUse(`somebody listens at port ${port} already`, 'add --port 0 for a free one')
  })
  stdout.write(`${server.at}\n`)
  stderr.write(c.dim('a stand-in: all that it says is made up; Ctrl-C ends it\n'))
  if (context.signal && !context.signal.aborted) await once(context.signal, 'abort')
  await server.close()
  stderr.write(`asked ${server.asked()} times\n`)
  return EXIT.done
}
