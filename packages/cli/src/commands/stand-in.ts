import { once } from 'node:events'
import { serveStandIn } from '@dunelight/node'
import { readMisbehaviour } from '../misbehaviour.js'
import { openToRender } from '../open.js'
import { colorsFor, EXIT, WrongUse, type Surroundings } from '../surroundings.js'

export interface StandInFlags {
  readonly port?: number
  readonly seed?: number
  readonly takes?: number
  readonly misbehave?: string
}

/** The port that the demo's models.yaml asks at. */
const PORT = 7117

/** Serves a made-up model on this machine, until it is interrupted. */
export async function standInCommand(around: Surroundings, folder: string, flags: StandInFlags): Promise<number> {
  const library = await openToRender(folder)
  const { stderr, stdout } = around
  const c = colorsFor(stderr, around.env)
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
  if (around.signal && !around.signal.aborted) await once(around.signal, 'abort')
  await server.close()
  stderr.write(`asked ${server.asked()} times\n`)
  return EXIT.done
}
