import { formatNumber, reasonsSection, type Report, type Section } from '../runs/report-layout.js'
import type { RunFile } from '../runs/run-file.js'
import { MOST_COMPARED } from './same-prompts.js'
import { barsOf, type Extreme, type RenderCounts } from './render-counts.js'

const number = formatNumber

/** What came of a run, for people. */
export function renderReport(run: RunFile, counts: RenderCounts): Report {
  return { title: `Run ${run.run}`, facts: headOf(run), sections: sectionsOf(run, counts) }
}

function sectionsOf(run: RunFile, counts: RenderCounts): Section[] {
  const unit = counts.tokens > 0 ? 'tokens' : 'bytes'
  return [
    countsSection(run, counts),
    sizesSection(counts, unit),
    ...(counts.written > 0 ? [extremesSection('Longest', counts.longest, unit), extremesSection('Shortest', counts.shortest, unit)] : []),
    reasonsSection(counts.reasons, 'rejected.jsonl has all of them, with their rows.'),
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
    says: [],
    head: ['', ''],
    rows: [
      ['records', number(all)],
      ['rendered', `${number(written)}${share}${rate}`],
      ['rejected', number(rejected)],
      ['same prompt as another', number(counts.same.count)],
      ['text of all prompts', `${number(counts.bytes / 1000)} kB`],
      ...(tokens > 0
        ? [
            ['tokens of all prompts', number(tokens)],
            ['tokens of one, on average', number(tokens / Math.max(1, written))],
          ]
        : []),
    ],
  }
}

function sizesSection(counts: RenderCounts, unit: string): Section {
  const bars = barsOf(counts)
  const most = Math.max(1, ...bars.map((bar) => bar.count))
  return {
    title: unit === 'tokens' ? 'Tokens of a prompt' : 'Size of a prompt in bytes',
    says: counts.written === 0 ? ['Nothing was rendered.'] : [],
    ...(bars.length > 0 && {
      head: [unit, 'prompts'],
      rows: bars.map((bar) => [bar.from >= bar.to ? number(bar.from) : `${number(bar.from)} – ${number(bar.to)}`, number(bar.count)]),
      bars: bars.map((bar) => bar.count / most),
    }),
  }
}

function extremesSection(title: string, list: readonly Extreme[], unit: string): Section {
  return { title, says: [], head: ['record', 'row', unit], rows: list.map((one) => [one.id, number(one.row), number(one.size)]) }
}

function sameSection({ same, written }: RenderCounts): Section {
  const title = 'Duplicate prompts'
  const none =
    written > MOST_COMPARED ? `None among the first ${number(MOST_COMPARED)} different prompts.` : 'None: every prompt is another.'
  if (same.count === 0) return { title, says: [none] }
  const rows = same.examples.map((one) => [one.id, number(one.row), number(one.first)])
  return { title, says: ['Asking one of them is enough.'], head: ['record', 'row', 'as in row'], rows }
}

function headOf(run: RunFile): readonly (readonly [string, string])[] {
  return [
    ['prompt', run.prompt.name],
    ['records', run.records.from],
    ...run.joined.map((one): [string, string] => ['joined', one.from]),
    ['output', run.published?.path ?? run.output],
    ['begun', run.started.replace('T', ' ').slice(0, 19)],
    ['prompt’s fingerprint', run.prompt.fingerprint.slice(0, 16)],
  ]
}
