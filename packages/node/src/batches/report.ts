import type { Report, Section } from './report-layout.js'
import type { RunFile } from './run-file.js'
import { MOST_COMPARED } from './ledger.js'
import { barsOf, type Extreme, type ReasonCount, type TallyState } from './tally.js'

const number = (value: number) => Math.round(value).toLocaleString('en')

/** What came of a run, for people. */
export function reportOf(run: RunFile, tally: TallyState): Report {
  return { title: `Run ${run.run}`, facts: headOf(run), sections: sectionsOf(run, tally) }
}

function sectionsOf(run: RunFile, tally: TallyState): Section[] {
  const unit = tally.tokens > 0 ? 'tokens' : 'bytes'
  const all = tally.rendered + tally.aside
  const share = all === 0 ? '' : ` (${((tally.rendered / all) * 100).toFixed(1)} %)`
  const rate = run.seconds ? ` in ${run.seconds < 10 ? run.seconds.toFixed(1) : number(run.seconds)} seconds` : ''
  const counts: Section = {
    title: 'Counts',
    says: [],
    head: ['', ''],
    rows: [
      ['records', number(all)],
      ['rendered', `${number(tally.rendered)}${share}${rate}`],
      ['set aside', number(tally.aside)],
      ['same prompt as another', number(tally.same.count)],
      ['text of all prompts', `${number(tally.bytes / 1000)} kB`],
      ...(tally.tokens > 0
        ? [
            ['tokens of all prompts', number(tally.tokens)],
            ['tokens of one, on average', number(tally.tokens / Math.max(1, tally.rendered))],
          ]
        : []),
    ],
  }
  const bars = barsOf(tally)
  const most = Math.max(1, ...bars.map((bar) => bar.count))
  const sizes: Section = {
    title: unit === 'tokens' ? 'Tokens of a prompt' : 'Size of a prompt in bytes',
    says: tally.rendered === 0 ? ['Nothing was rendered.'] : [],
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
  const reasons = reasonsSection(tally.reasons, 'All of them, with their rows as they stand in the table, are in set-aside.jsonl.')
  const same: Section = {
    title: 'Records that give the same prompt',
    says:
      tally.same.count === 0
        ? [
            tally.rendered > MOST_COMPARED
              ? `None among the first ${number(MOST_COMPARED)} different prompts.`
              : 'None: every prompt is another.',
          ]
        : ['Asking one of them is enough.'],
    ...(tally.same.count > 0 && {
      head: ['record', 'row', 'as in row'],
      rows: tally.same.examples.map((one) => [one.id, number(one.row), number(one.first)]),
    }),
  }
  return [
    counts,
    sizes,
    ...(tally.rendered > 0 ? [extremes('Longest', tally.longest), extremes('Shortest', tally.shortest)] : []),
    reasons,
    same,
  ]
}

/** Why records were set aside, the commonest reason first. */
export function reasonsSection(reasons: readonly ReasonCount[], where: string): Section {
  if (reasons.length === 0) return { title: 'Set aside', says: ['Nothing was set aside.'] }
  const rows = [...reasons]
    .sort((a, b) => b.count - a.count)
    .map((one) => [one.code, number(one.count), one.examples.map((example) => `${example.id}: ${example.message}`).join('\n')])
  return { title: 'Set aside', says: [where], head: ['reason', 'records', 'such as'], rows }
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
