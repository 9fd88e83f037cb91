import { mkdir, open, readdir, rm } from 'node:fs/promises'
import { homedir } from 'node:os'
import { join } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import type { Channels } from 'dunelight/editions'
import { channelsText, digestOf } from 'dunelight/editions'
import { WriteFault } from '../output/files.js'
import { reason } from '../output/reason.js'
import { shortDigest } from './edition-folder.js'

/**
 * Where this machine remembers what it has seen: outside every library, so that who can write a library cannot make it forget.
 * `DUNELIGHT_STATE` names another folder.
 */
export function stateFolder(): string {
  const { DUNELIGHT_STATE, XDG_STATE_HOME } = process.env
  if (DUNELIGHT_STATE !== undefined && DUNELIGHT_STATE !== '') return DUNELIGHT_STATE
  return join(XDG_STATE_HOME ?? join(homedir(), '.local', 'state'), 'dunelight')
}

const SEEN = /^(\d+)-([\da-f]{12})$/

/**
 * Remembers a channel statement, and refuses one that is older than the newest that was seen. Each is a file of its own: two processes
 * cannot overwrite each other's memory.
 *
 * @throws ProblemError for an older one, or another one with the same serial.
 */
export async function rememberChannels(channels: Channels, signature: string | undefined, state = stateFolder()): Promise<void> {
  const { library, serial } = channels
  const folder = join(state, 'channels', library)
  const digest = shortDigest(digestOf(Buffer.from(channelsText({ channels, signature }))))
  const names = await readdir(folder).catch((): string[] => [])
  const seen = names.flatMap((name) => {
    const [, number, start] = SEEN.exec(name) ?? []
    return number === undefined ? [] : [{ name, number: Number(number), start }]
  })
  const newest = seen.reduce((most, { number }) => Math.max(most, number), 0)
  const same = seen.filter(({ number }) => number === serial)
  if (serial < newest || same.some(({ start }) => start !== digest))
    throw new ProblemError([problem('channels-rolled-back', { serial, seen: newest })])
  if (same.length > 0) return
  try {
    await mkdir(folder, { recursive: true })
    await (await open(join(folder, `${serial}-${digest}`), 'a')).close()
    for (const { name } of seen) await rm(join(folder, name), { force: true })
  } catch (fault) {
    // Without a memory an older statement would pass the next time.
    throw new WriteFault(folder, reason(fault), { cause: fault })
  }
}
