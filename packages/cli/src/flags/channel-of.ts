import { listEditions } from '@dunelight/node'

/** Whether a channel points at an edition of the prompt. */
export async function channelOf(folder: string, name: string, channel: string): Promise<boolean> {
  const { editions } = await listEditions(folder, { names: [name] })
  return editions.some((edition) => edition.channels.includes(channel))
}
