import { formatNumber, reportPath, reasonsSection, type Report, type Section } from '../runs/report-layout.js'
import type { RunFile } from '../runs/run-file.js'
import { MOST_COMPARED } from './same-prompts.js'
import { barsOf, type Extreme, type RenderCounts } from './render-counts.js'

const number = formatNumber

/** The report of a run that renders. */
export function renderReport(run: RunFile, library: string, counts: RenderCounts): Report {
  return { title: `Run ${run.run}`, facts: headOf(run, library), sections: sectionsOf(run, counts) }
}

function sectionsOf(run: RunFile, counts: RenderCounts): Section[] {
  const unit = counts.tokens > 0 ? 'tokens' : 'bytes'
  return [
    countsSection(run, counts),
    sizesSection(counts, unit),
    ...(counts.written > 0 ? [extremesSection('Longest', counts.longest, unit), extremesSection('Shortest', counts.shortest, unit)] : []),
    reasonsSection(counts.reasons, 'All of them are in rejected.jsonl, with their rows.'),
    sameSection(counts),
  ]
}

function countsSection({ seconds }: RunFile, counts: RenderCounts): Section {
  const { written, rejected, tokens } = counts
  const all = written + rejected
  const share = all === 0 ? '' : ` (${((written / all) * 100).toFixed(1)} %)`
  const rate = seconds ? ` in ${seconds < 10 ? seconds.toFixed(1) : number(seconds)} seconds` : ''
  return {
    title: 'Counts',
    notes: [],
    head: ['', ''],
    rows: [
      ['records', number(all)],
      ['rendered', `${number(written)}${share}${rate}`],
      ['rejected', number(rejected)],
      ['duplicate prompts', number(counts.same.count)],
      ['size of all prompts', `${number(counts.bytes / 1000)} kB`],
      ...(tokens > 0
        ? [
            ['tokens of all prompts', number(tokens)],
            ['tokens per prompt, on average', number(tokens / Math.max(1, written))],
          ]
        : []),
    ],
  }
}

function sizesSection(counts: RenderCounts, unit: string): Section {
  const bars = barsOf(counts)
  const ranges = bars.map((bar) => (bar.from >= bar.to ? number(bar.from) : `${number(bar.from)} – ${number(bar.to)}`))
  return {
    title: unit === 'tokens' ? 'Tokens of a prompt' : 'Size of a prompt in bytes',
    notes: counts.written === 0 ? ['Nothing was rendered.'] : [],
    ...(bars.length > 0 && {
      chart: { of: unit, unit: 'prompts', labels: ranges, counts: bars.map((bar) => bar.count), isScale: true },
    }),
  }
}

function extremesSection(title: string, list: readonly Extreme[], unit: string): Section {
  return {
    title,
    notes: [],
    head: ['record', 'row', unit],
    rows: list.map((extreme) => [extreme.id, number(extreme.row), number(extreme.size)]),
  }
}

function sameSection({ same, written }: RenderCounts): Section {
  const title = 'Duplicate prompts'
  const none = written > MOST_COMPARED ? `No duplicates among the first ${number(MOST_COMPARED)} different prompts.` : 'No duplicates.'
  if (same.count === 0) return { title, notes: [none] }
  const rows = same.examples.map((example) => [example.id, number(example.row), number(example.first)])
  return { title, notes: ['Ask a model about one of them only.'], head: ['record', 'row', 'as in row'], rows }
}

function headOf(run: RunFile, library: string): readonly (readonly [string, string])[] {
  return [
    ['prompt', run.prompt.name],
    ['records', reportPath(library, run.records.from)],
    ...run.joined.map((sourceMark): [string, string] => ['joined', reportPath(library, sourceMark.from)]),
    ['output', reportPath(library, run.published?.path ?? run.output)],
    ['started', run.started.replace('T', ' ').slice(0, 19)],
    ['fingerprint of the prompt', run.prompt.fingerprint.slice(0, 16)],
  ]
}
