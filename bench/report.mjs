import { spawnSync } from 'node:child_process'

/** The cost of a run, for the process that started it: one line of JSON on stderr. */
export function report(started) {
  const { user, system } = process.cpuUsage()
  const cpu = Math.round((user + system) / 1000)
  process.stderr.write(`${JSON.stringify({ ms: performance.now() - started, cpu, peak: process.resourceUsage().maxRSS })}\n`)
}

/** Renders a table by a program, `hand` or `dunelight`, in a process of its own; gives what it reported. */
export function runTable(program, from, to, more = []) {
  const done = spawnSync(process.execPath, [`bench/table-by-${program}.mjs`, from, to, ...more], { encoding: 'utf8' })
  if (done.status !== 0) throw new Error(done.stderr)
  return JSON.parse(done.stderr.trim().split('\n').at(-1))
}

/** Begins to measure; the function gives the seconds since then, and this process's time on processors in milliseconds. */
export function beginning() {
  const started = performance.now()
  const before = process.cpuUsage()
  return () => {
    const { user, system } = process.cpuUsage(before)
    return { seconds: (performance.now() - started) / 1000, cpu: (user + system) / 1000 }
  }
}
