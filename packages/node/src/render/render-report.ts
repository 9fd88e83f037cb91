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
  const all = counts.written + counts.rejected
  const share = all === 0 ? '' : ` (${((counts.written / all) * 100).toFixed(1)} %)`
  const rate = run.seconds ? ` in ${run.seconds < 10 ? run.seconds.toFixed(1) : number(run.seconds)} seconds` : ''
  const counted: Section = {
    title: 'Counts',
    says: [],
    head: ['', ''],
    rows: [
      ['records', number(all)],
      ['rendered', `${number(counts.written)}${share}${rate}`],
      ['set aside', number(counts.rejected)],
      ['same prompt as another', number(counts.same.count)],
      ['text of all prompts', `${number(counts.bytes / 1000)} kB`],
      ...(counts.tokens > 0
        ? [
            ['tokens of all prompts', number(counts.tokens)],
            ['tokens of one, on average', number(counts.tokens / Math.max(1, counts.written))],
          ]
        : []),
    ],
  }
  const bars = barsOf(counts)
  const most = Math.max(1, ...bars.map((bar) => bar.count))
  const sizes: Section = {
    title: unit === 'tokens' ? 'Tokens of a prompt' : 'Size of a prompt in bytes',
    says: counts.written === 0 ? ['Nothing was rendered.'] : [],
    ...(bars.length > 0 && {
      head: [unit, 'prompts'],
      rows: bars.map((bar) => [bar.from >= bar.to ? number(bar.from) : `${number(bar.from)} – ${number(bar.to)}`, number(bar.count)]),
      bars: bars.map((bar) => bar.count / most),
    }),
  }
  const extremes = (title: string, list: readonly Extreme[]): Section => ({
    title,
    says: [],
    head: ['record', 'row', unit],
    rows: list.map((one) => [one.id, number(one.row), number(one.size)]),
  })
  const reasons = reasonsSection(counts.reasons, 'All of them, with their rows as they stand in the table, are in set-aside.jsonl.')
  const same: Section = {
    title: 'Records that give the same prompt',
    says:
      counts.same.count === 0
        ? [
            counts.written > MOST_COMPARED
              ? `None among the first ${number(MOST_COMPARED)} different prompts.`
              : 'None: every prompt is another.',
          ]
        : ['Asking one of them is enough.'],
    ...(counts.same.count > 0 && {
      head: ['record', 'row', 'as in row'],
      rows: counts.same.examples.map((one) => [one.id, number(one.row), number(one.first)]),
    }),
  }
  return [
    counted,
    sizes,
    ...(counts.written > 0 ? [extremes('Longest', counts.longest), extremes('Shortest', counts.shortest)] : []),
    reasons,
    same,
  ]
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
