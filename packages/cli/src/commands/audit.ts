import { auditLines, verifyAudit, type AuditLine } from '@dunelight/node'
import { formatNumber, pruneAudit } from '@dunelight/node/host'
import { defineCommand, JSON_FLAG, LIBRARY, whole } from '../define-command.js'
import { openToRead } from '../flags/open-library.js'
import { colorsFor, EXIT, plural, sayProblems, WrongUse, type Colors, type CommandContext } from '../ui/context.js'
import { columns } from '../ui/table.js'

export const auditCommand = defineCommand({
  name: 'audit',
  group: 'Production',
  about: 'Show who asked what, and verify that no line of the audit was changed or removed.',
  arguments: [LIBRARY],
  options: [
    ['--prompt <name>', 'only lines about this prompt'],
    ['--caller <name>', 'only lines of this caller'],
    ['--since <time>', 'only lines since then: 2026-11-29, or 2026-11-29T14:00'],
    ['--take <n>', 'only the newest n lines; default: 50', whole],
    ['--verify', 'check the chain of each writer; DUNELIGHT_AUDIT_KEY is needed with --checkpoints'],
    ['--checkpoints <file>', 'the checkpoints, as they were sent elsewhere'],
    ['--prune', 'delete stored exchanges and cached answers that are older than the retention time'],
    JSON_FLAG,
  ],
  examples: ['audit demo/marram-house --since 2026-11-01'],
  run: (context, [folder], flags: AuditFlags) => audit(context, folder, flags),
})

interface AuditFlags {
  readonly prompt?: string
  readonly caller?: string
  readonly since?: string
  readonly take?: number
  readonly verify?: boolean
  readonly checkpoints?: string
  readonly prune?: boolean
  readonly json?: boolean
}

async function audit(context: CommandContext, folder: string, flags: AuditFlags): Promise<number> {
  const { verify = false, prune = false, checkpoints } = flags
  if (verify && prune) throw new WrongUse('--verify and --prune cannot be combined')
  if (checkpoints !== undefined && !verify) throw new WrongUse('--checkpoints needs --verify')
  const library = await openToRead(folder)
  if (verify) return sayVerdict(context, folder, { library: library.id, ...(checkpoints !== undefined && { checkpoints }) })
  const model = library.artefacts.library.audit
  if (prune) {
    const { retention } = model ?? {}
    if (retention === undefined) throw new WrongUse('dunelight.yaml names no retention time', 'write audit: { retention: 90 }: days')
    const { exchanges, answers } = await pruneAudit(folder, retention)
    context.stderr.write(`deleted: ${plural(exchanges, 'stored exchange')}, ${plural(answers, 'cached answer')}\n`)
    return EXIT.done
  }
  return show(context, folder, flags, model !== undefined)
}

async function show({ stdout, stderr, env }: CommandContext, folder: string, flags: AuditFlags, isAudited: boolean): Promise<number> {
  const { take = 50, json = false, since, ...filter } = flags
  const totals = new Totals()
  const newest: AuditLine[] = []
  for await (const { line } of auditLines(folder, { ...filter, ...(since !== undefined && { since: timeOf(since) }) })) {
    if (!line) continue
    totals.add(line)
    newest.push(line)
    if (newest.length > take) newest.shift()
  }
  const c = colorsFor(stdout, env)
  if (json) for (const line of newest) stdout.write(`${JSON.stringify(line)}\n`)
  else stdout.write(columns(newest.map((line) => rowOf(line, c))))
  if (totals.lines > 0) stderr.write(`${totals.words()}\n`)
  else stderr.write(isAudited ? 'the audit has no such line\n' : 'the library has no audit: write audit: {} in dunelight.yaml\n')
  return EXIT.done
}

/** What lines come to. */
class Totals {
  lines = 0
  private requests = 0
  private sent = 0
  private received = 0
  private rejected = 0
  private readonly callers = new Set<string>()

  add({ caller, requests = 0, sent = 0, received = 0, status }: AuditLine): void {
    this.lines++
    this.requests += requests
    this.sent += sent
    this.received += received
    if (status === 'rejected' || status === 'failed') this.rejected++
    this.callers.add(caller)
  }

  words(): string {
    const tokens = this.sent + this.received
    return [
      plural(this.lines, 'line'),
      plural(this.callers.size, 'caller'),
      plural(this.requests, 'request'),
      ...(tokens > 0 ? [`${formatNumber(this.sent)} tokens sent, ${formatNumber(this.received)} received`] : []),
      ...(this.rejected > 0 ? [`${formatNumber(this.rejected)} without an answer`] : []),
    ].join(' · ')
  }
}

function rowOf(line: AuditLine, c: Colors): string[] {
  const { time, caller, operation, prompt = '', at, model = '', requests, sent, received, cached, findings = [], problems = [], run } = line
  const { status = '' } = line
  const tokens = sent === undefined ? '' : `${formatNumber(sent)} → ${formatNumber(received ?? 0)}`
  const asked = operation !== 'ask' ? '' : cached && !requests ? 'cached' : plural(requests ?? 0, 'request')
  const state = status === 'rejected' || status === 'failed' ? c.red(status) : status
  const why = [...problems, ...findings, ...(run === undefined ? [] : [run])].join(', ')
  return [c.dim(time.slice(0, 19).replace('T', ' ')), caller, operation, c.bold(at ?? prompt), model, asked, tokens, state, why]
}

/** A day, or a time, as the log writes it. */
function timeOf(text: string): string {
  const time = /^\d{4}-\d\d-\d\d(?:T\d\d:\d\d(?::\d\d)?Z?)?$/.test(text) ? new Date(text) : undefined
  if (!time || Number.isNaN(time.getTime())) throw new WrongUse(`"${text}" is not a time`, 'write 2026-11-29, or 2026-11-29T14:00')
  return time.toISOString()
}

async function sayVerdict(context: CommandContext, folder: string, options: Parameters<typeof verifyAudit>[1]): Promise<number> {
  const { stdout } = context
  const { writers, lines, checkpoints, uncovered, problems } = await verifyAudit(folder, options)
  sayProblems(context, problems)
  const isValid = problems.every(({ severity }) => severity !== 'error')
  stdout.write(
    `${isValid ? 'valid' : 'not valid'} · ${plural(lines, 'line')} · ${plural(writers, 'writer')} · ${plural(checkpoints, 'checkpoint')}\n`,
  )
  if (options.checkpoints === undefined) stdout.write('without checkpoints, the loss of the last lines of a writer cannot be detected\n')
  else if (uncovered > 0) stdout.write(`${plural(uncovered, 'line')} after the last checkpoint: their loss could not be detected\n`)
  return isValid ? EXIT.done : EXIT.problems
}
