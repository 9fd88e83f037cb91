/** The cost of a run, for the process that started it: one line of JSON on stderr. */
export function report(started) {
  const { user, system } = process.cpuUsage()
  const cpu = Math.round((user + system) / 1000)
  process.stderr.write(`${JSON.stringify({ ms: performance.now() - started, cpu, peak: process.resourceUsage().maxRSS })}\n`)
}
