import { dirname, resolve } from 'node:path'
import { addCaller, type NewCaller } from '@dunelight/serve'
import { readCallersFile } from '@dunelight/serve/host'
import { EXIT, plural, WrongUse, type CommandContext } from '../ui/context.js'
import { libraryAround } from '../flags/library-around.js'
import { columns } from '../ui/table.js'

export interface CallerFlags {
  readonly callers: string
  readonly prompt?: readonly string[]
  readonly tag?: readonly string[]
  readonly operation?: readonly string[]
  readonly channel?: readonly string[]
  readonly editions?: boolean
  readonly expires?: string
  readonly perMinute?: number
  readonly tokensADay?: number
}

/** Adds a caller, and prints its token: the only time that it is seen. */
export async function addCallerTo(context: CommandContext, name: string, flags: CallerFlags): Promise<number> {
  const { callers, prompt, tag, operation, channel, editions, expires, perMinute, tokensADay } = flags
  if (prompt?.includes('all') && prompt.length > 1) throw new WrongUse('--prompt all cannot be combined with names')
  const rights: NewCaller = {
    ...(prompt && { prompts: prompt.includes('all') ? 'all' : prompt }),
    ...(tag && { tags: tag }),
    ...(operation && { operations: operation }),
    ...(channel && { channels: channel }),
    ...(editions && { editions }),
    ...(expires !== undefined && { expires }),
    ...(perMinute !== undefined && { 'per-minute': perMinute }),
    ...(tokensADay !== undefined && { 'tokens-a-day': tokensADay }),
  }
  const { token, caller, isNew } = await addCaller(callers, name, rights, await libraryAbove(callers))
  context.stdout.write(`${token}\n`)
  const may = isNew
    ? `may ${caller.operations.join(', ')}`
    : `has ${plural(caller.tokens.length, 'token')}; remove the older one when it is no longer used`
  context.stderr.write(`${name} ${may}: ${callers}\n`)
  if (isNew && caller.prompts.length === 0 && caller.tags.length === 0)
    context.stderr.write(`${name} may use no prompt yet: add "prompts:" or "tags:" in ${callers}\n`)
  return EXIT.done
}

/** Lists the callers of a file, with what they may do. */
export async function listCallers(context: CommandContext, path: string): Promise<number> {
  const callers = await readCallersFile(path)
  const rows = callers.map(({ name, operations, prompts, tags, channels, tokens, expires = '', perMinute, tokensADay }) => [
    name,
    operations.join(', '),
    prompts === 'all' ? 'all' : [...prompts, ...tags.map((tag) => `tag ${tag}`)].join(', '),
    channels.join(', '),
    String(tokens.length),
    expires,
    [
      ...(perMinute === undefined ? [] : [`${perMinute} a minute`]),
      ...(tokensADay === undefined ? [] : [`${tokensADay} tokens a day`]),
    ].join(', '),
  ])
  context.stdout.write(columns([['name', 'operations', 'prompts', 'channels', 'tokens', 'expires', 'limits'], ...rows]))
  return EXIT.done
}

/** The library that a file lies in; undefined if it lies in none. */
async function libraryAbove(path: string): Promise<string | undefined> {
  const folder = dirname(resolve(path))
  return libraryAround(folder).then(
    (library) => resolve(folder, library),
    () => undefined,
  )
}
