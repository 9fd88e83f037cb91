import { problemRecord, type AssemblyEvent, type Library } from 'dunelight'
import { problem } from 'dunelight/host'
import { askAssemblyOnce, type AnsweredAssembly, type ReadyModel } from '@dunelight/node'
import { unsupportedText, type Answered } from '@dunelight/node/host'
import type { AskFlags } from './ask.js'
import { namedValues } from '../flags/record.js'
import { colorsFor, EXIT, plural, type CommandContext, sayProblems } from '../ui/context.js'
import { RunReporter } from '../ui/run-reporter.js'

/** Asks for an assembly with one set of values: its document on stdout, what happens to its parts on stderr. */
export async function askForDocument(
  context: CommandContext,
  library: Library,
  folder: string,
  what: string,
  name: string,
  model: ReadyModel,
  flags: AskFlags,
): Promise<number> {
  const { stdout, stderr, env } = context
  const given = await namedValues(library, folder, what, flags)
  const c = colorsFor(stderr, env)
  const { notice } = new RunReporter(context, 'answered')
  if (model.isMock) notice(problem('mock-answers', {}))
  const record = given?.id ?? ''
  const result = await askAssemblyOnce({
    library,
    folder,
    assembly: name,
    prepared: library.inputOf(name).prepare(given?.values ?? {}),
    record,
    model,
    fresh: flags.fresh ?? false,
    ...(flags.corrections !== undefined && { corrections: flags.corrections }),
    ...(flags.concurrency !== undefined && { concurrency: flags.concurrency }),
    ...(flags.locale !== undefined && { locale: flags.locale }),
    ...(flags.seed !== undefined && { seed: flags.seed }),
    notice,
    ...(context.signal && { signal: context.signal }),
    onRetry: (why) => stderr.write(`${c.dim(`retry: ${why}`)}\n`),
    onEvent: (event) => {
      const line = eventLine(event)
      if (line !== undefined && (context.isVerbose || stderr.isTTY)) stderr.write(`${c.dim(line)}\n`)
    },
  })
  if (flags.json) stdout.write(documentJson(record, result))
  else if (result.document) stdout.write(result.document.text.endsWith('\n') ? result.document.text : `${result.document.text}\n`)
  sayProblems(context, result.problems)
  const unsupported = result.answers.flatMap(({ reply }) => (reply?.unsupported ?? []).map(unsupportedText))
  if (unsupported.length > 0) stderr.write(`${c.yellow('unsupported')}: ${unsupported.join(c.dim(' · '))}\n`)
  const answers = result.answers.flatMap((answered) => answered.answers)
  const cached = answers.filter((answer) => answer.cached).length
  stderr.write(c.dim(`${model.name}: ${plural(answers.length - cached, 'request')}, ${cached} cached\n`))
  return result.problems.length > 0 ? EXIT.rejected : EXIT.done
}

function eventLine(event: AssemblyEvent<Answered>): string | undefined {
  switch (event.kind) {
    case 'asking':
      return `${event.key}: asking`
    case 'answered':
      return `${event.key}: answered`
    default:
      return undefined
  }
}

function documentJson(record: string, { document, columns, problems, answers }: AnsweredAssembly): string {
  const all = answers.flatMap((answered) => answered.answers)
  const result = {
    record: record === '' ? null : record,
    document: document?.text ?? null,
    answer: columns ?? null,
    problems: problems.map(problemRecord),
    requests: all.filter(({ cached }) => !cached).length,
    cached: all.filter(({ cached }) => cached).length,
  }
  return `${JSON.stringify(result, null, 2)}\n`
}
