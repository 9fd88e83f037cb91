import type { ModelDescription } from 'dunelight/host'
import { formatNumber, reportPath, reasonsSection, type Report, type Section } from '../runs/report-layout.js'
import type { AskCounts } from './ask-counts.js'
import type { AskRun, TokenCorrection } from './ask-run.js'

const number = formatNumber

/** The report of a run that asks. */
export function askReport(run: AskRun, library: string, counts: AskCounts, price: ModelDescription['price']): Report {
  const { written: answered, repaired, unsupported, rejected, requests, cached, corrections, usage } = counts
  const all = answered + rejected
  const share = (part: number) => (all === 0 ? number(part) : `${number(part)} (${((part / all) * 100).toFixed(1)} %)`)
  const { model, isMock } = run.asking
  const figures: Section = {
    title: 'Counts',
    notes: counts.mock > 0 ? [`Mock: ${number(counts.mock)} of the answers come from the built-in mock model.`] : [],
    head: ['', ''],
    rows: [
      ['records', number(all)],
      ['answered', share(answered)],
      ['of them repaired', number(repaired)],
      ['of them with unsupported claims', number(unsupported)],
      ['rejected', share(rejected)],
      ...(counts.noted > 0 ? [['noted by screens, in notes.jsonl', number(counts.noted)]] : []),
      ['requests', number(requests)],
      ['cached answers', number(cached)],
      ['correction requests', number(corrections)],
      ...(usage.sent + usage.received > 0
        ? [
            ['tokens sent', number(usage.sent)],
            ['tokens received', number(usage.received)],
            ...(counts.estimated > 0 ? [['tokens estimated', estimateOf(counts, run.asking.correction)]] : []),
          ]
        : []),
      ...(price ? [['cost', costOf(usage, price)]] : []),
      ['seconds', (run.seconds ?? 0).toFixed(1)],
    ],
  }
  const labels = Object.entries(counts.labels).map(([column, of]): Section => {
    const rows = Object.entries(of).sort((a, b) => b[1] - a[1])
    return {
      title: column,
      notes: [],
      chart: { of: 'label', unit: 'records', labels: rows.map(([label]) => label), counts: rows.map(([, count]) => count) },
    }
  })
  const reasons = reasonsSection(counts.reasons, 'All of them are in rejected.jsonl, with their replies and rows.')
  return {
    title: `Answers ${run.run}`,
    facts: [
      ['prompt', run.prompt.name],
      ['model', isMock ? `${model} (invented answers)` : model],
      ['records', reportPath(library, run.records.from)],
      ['output', reportPath(library, run.published?.path ?? run.output)],
      ['started', run.started.replace('T', ' ').slice(0, 19)],
    ],
    sections: [figures, ...labels, reasons],
  }
}

/** The tokens of all questions as they were estimated, and how far that lies from what was used. */
export function estimateOf({ estimated, usageOfEstimated }: AskCounts, correction: TokenCorrection | undefined): string {
  const corrected = estimated * (correction?.factor ?? 1)
  const share = (usageOfEstimated / corrected - 1) * 100
  const bias =
    Math.abs(share) < 0.05 ? 'equal to the usage' : `${Math.abs(share).toFixed(1)} % ${share > 0 ? 'less' : 'more'} than was used`
  if (!correction) return `${number(corrected)}, ${bias}`
  const by = correction.runs === 1 ? 'an earlier run' : `${correction.runs} earlier runs`
  return `${number(corrected)}, ${bias} (${number(estimated)} counted, times ${correction.factor.toFixed(2)} as ${by} found)`
}

/** What the tokens cost by a price list. */
export function costOf(
  { sent, received }: AskCounts['usage'],
  { sent: sentPrice, received: receivedPrice, per, currency }: NonNullable<ModelDescription['price']>,
): string {
  return `${((sent * sentPrice + received * receivedPrice) / per).toFixed(4)} ${currency}`.trim()
}
