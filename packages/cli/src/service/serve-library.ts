import { createService, listen, type HttpServiceOptions, type ServiceLogLine } from '@dunelight/serve'
import { newCallerId, newToken, ownerNamed, Service, THIS_MACHINE } from '@dunelight/serve/host'
import { approversOf, type ApproverFlags } from '../flags/open-library.js'
import { colorsFor, EXIT, WrongUse, type CommandContext } from '../ui/context.js'
import { interrupted, listenAt } from '../ui/serving.js'

export interface ServeFlags extends ApproverFlags {
  readonly channel?: string
  readonly strictExpiry?: boolean
  readonly callers?: string
  /** False if requests need no token. */
  readonly token?: boolean
  readonly port?: number
  readonly address?: string
  readonly hostName?: readonly string[]
  readonly origin?: readonly string[]
  readonly model?: string
  readonly state?: string
  readonly stdio?: boolean
}

/** Prompts whose refusal is told at the start. */
const SHOWN_REFUSALS = 3
const USUAL_PORT = 7120

/** Serves a library until the command is interrupted; then what is in flight is completed. */
export async function serveLibrary(context: CommandContext, folder: string, flags: ServeFlags): Promise<number> {
  const { channel, strictExpiry, model, state, stdio = false } = flags
  const options: HttpServiceOptions = {
    library: folder,
    log: (line) => say(context, line),
    ...(channel !== undefined && { channel, approvers: approversOf(context, flags) }),
    ...(strictExpiry && { strictExpiry }),
    ...(model !== undefined && { model }),
    ...(state !== undefined && { state }),
  }
  if (channel === undefined && (flags.approvers !== undefined || flags.approversDigest !== undefined))
    throw new WrongUse('approvers need a channel: the working files have no approvals', 'add --channel live')
  return stdio ? serveStdio(context, options) : serveHttp(context, options, flags)
}

async function serveStdio(context: CommandContext, options: HttpServiceOptions): Promise<number> {
  // The protocol's own package is large: it is loaded only here.
  const { serveStreams } = await import('@dunelight/serve/stdio')
  const service = await Service.open(options)
  sayWhatIsServed(context, service)
  await serveStreams(service, ownerNamed('owner', options.channel), context.stdin, context.stdout, context.signal)
  await service.close()
  return EXIT.done
}

async function serveHttp(context: CommandContext, options: HttpServiceOptions, flags: ServeFlags): Promise<number> {
  const { callers, token: needsToken = true, port, address = '127.0.0.1', hostName = [], origin = [] } = flags
  const isHere = THIS_MACHINE.includes(address)
  if (!needsToken && (callers !== undefined || !isHere))
    throw new WrongUse('--no-token is for this machine alone', callers === undefined ? 'leave out --address' : 'leave out --callers')
  if (!isHere && callers === undefined) throw new WrongUse('an address that others reach needs callers', 'add --callers FILE')
  const owner = newCallerId()
  const { token, digest } = newToken(owner)
  const service = await createService({
    ...options,
    noToken: !needsToken,
    hosts: [...THIS_MACHINE, address, ...hostName],
    origins: origin,
    ...(callers !== undefined && { callers }),
    ...(callers === undefined && needsToken && { owner: { id: owner, digest } }),
  })
  const listening = await listenAt(port, USUAL_PORT, (free) => listen(service, { port: free, hostname: address })).catch(
    async (fault: unknown) => {
      await service.close()
      throw fault
    },
  )
  context.stdout.write(`http://${address.includes(':') ? `[${address}]` : address}:${listening.port}/\n`)
  sayWhatIsServed(context, service.service)
  if (callers === undefined && needsToken) context.stderr.write(`token: ${token}\n`)
  await interrupted(context)
  await listening.close()
  return EXIT.done
}

function sayWhatIsServed(context: CommandContext, { wordings }: Service): void {
  const c = colorsFor(context.stderr, context.env)
  const { channels, statement, refused } = wordings.current
  const count = new Set([...channels.values()].flatMap((byName) => [...byName.keys()])).size
  const what = wordings.isWorking
    ? 'the working files, for development: name --channel for editions'
    : `editions${statement ? `, channels of serial ${statement.serial}` : ''}`
  context.stderr.write(c.dim(`${count} prompts of ${what}; Ctrl+C stops it\n`))
  const shown = context.isVerbose ? refused : refused.slice(0, SHOWN_REFUSALS)
  for (const { why } of shown) say(context, { level: 'warning', message: why.message })
  if (shown.length < refused.length)
    say(context, { level: 'warning', message: `${refused.length - shown.length} more prompts are not served: --verbose lists them` })
}

function say({ stderr, env }: CommandContext, { level, message }: ServiceLogLine): void {
  const c = colorsFor(stderr, env)
  const paint = { info: c.dim, warning: c.yellow, error: c.red }[level]
  stderr.write(level === 'info' ? `${paint(message)}\n` : `${paint(level)}: ${message}\n`)
}
