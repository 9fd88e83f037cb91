import { execFileSync } from 'node:child_process'
import { expect, test } from '@jest/globals'
import { wordingHistory } from '@dunelight/node'
import { useWorkplace } from '../../../../test/repository.js'

const place = useWorkplace()
const COMMITS = 1000

/** Commits that change the snippet that the prompt uses, one after the other. */
function addCommits(): void {
  const lines = Array.from({ length: COMMITS }, (_, i) => {
    const text = `Be plain, for the ${i}th time.\n`
    const from = i === 0 ? 'from refs/heads/main^0\n' : ''
    return `commit refs/heads/main\ncommitter Hesper Dace <hesper@sandmouth.example> ${1_790_000_000 + i} +0000\ndata <<END\nChange ${i}\nEND\n${from}M 100644 inline snippets/style.md\ndata ${text.length}\n${text}\n`
  })
  execFileSync('git', ['fast-import', '--quiet'], { cwd: place.folder, input: lines.join('') })
  place.git('reset', '-q', '--hard', 'main')
}

/** Seconds of processor time that something takes. */
async function cpuOf(run: () => Promise<unknown>): Promise<number> {
  const before = process.cpuUsage()
  await run()
  const { user, system } = process.cpuUsage(before)
  return (user + system) / 1e6
}

test('a thousand commits are read once: the second time takes a fraction', async () => {
  addCommits()
  const read = () => wordingHistory(place.folder, 'label')
  const first = await cpuOf(read)
  const second = await cpuOf(read)
  expect((await read()).entries).toHaveLength(COMMITS + 1)
  expect(second).toBeLessThan(first / 4)
}, 120_000)
