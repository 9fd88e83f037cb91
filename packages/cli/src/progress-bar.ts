import { SingleBar } from 'cli-progress'
import { rawStream } from './streams.js'
import type { Surroundings } from './surroundings.js'

/** A bar on stderr that leaves nothing behind; `says` stands beside it, with names in braces. */
export function progressBar(
  stream: Surroundings['stderr'],
  says: string,
  total: number,
  named: Readonly<Record<string, string>>,
): SingleBar {
  const bar = new SingleBar({
    format: `{bar} ${says}`,
    stream: rawStream(stream),
    hideCursor: true,
    clearOnComplete: true,
    barCompleteChar: '━',
    barIncompleteChar: '─',
    barsize: 28,
  })
  bar.start(total, 0, named)
  return bar
}
