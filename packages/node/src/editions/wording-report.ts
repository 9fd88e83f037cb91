import { defined } from 'dunelight/host'
import type { Turn } from 'dunelight'
import { marked } from '../compare/compare-answers.js'
import { formatNumber, type Report, type Section } from '../runs/report-layout.js'
import type { RenderedDifference, WordingDifference } from './wording-diff.js'

/** A difference between two wordings as a report. */
export function wordingReport({ name, from, to, isSame, files, rendered }: WordingDifference): Report {
  const facts: [string, string][] = [
    ['from', sideWords(name, from)],
    ['to', sideWords(name, to)],
    ['wording', isSame ? 'the same' : 'differs'],
  ]
  if (rendered !== undefined && typeof rendered !== 'string') facts.push(['records', renderedWords(rendered)])
  const sections: Section[] = files.map(({ path, does, patch }) => ({
    title: `${path}: ${does}`,
    notes: patch === undefined ? ['It is not a text.'] : [],
    lines: patch?.trimEnd().split('\n') ?? [],
    wide: true,
  }))
  if (typeof rendered === 'string') sections.push({ title: 'Renderings', notes: [rendered], wide: true })
  else if (rendered) sections.push(renderedSection(rendered))
  return { title: `${name}: ${sideWords(name, from)} and ${sideWords(name, to)}`, facts, sections }
}

/** A wording as it is shown: `label/write@7`, `label/write@git:0a1b2c3d4e5f`, `working files`. */
export function sideWords(name: string, at: string): string {
  return at === name ? 'working files' : at.replace(/(?<=@git:[\da-f]{12})[\da-f]+$/, '')
}

/** `12 of 180 records differ`, with those that can no longer be rendered. */
export function renderedWords({ records, changed, lost, gained }: RenderedDifference): string {
  const beside = [
    lost > 0 && `${formatNumber(lost)} can no longer be rendered`,
    gained > 0 && `${formatNumber(gained)} now can be rendered`,
  ]
  return [`${formatNumber(changed)} of ${formatNumber(records)} differ`, ...beside.filter((text) => text !== false)].join(', ')
}

function renderedSection(rendered: RenderedDifference): Section {
  const pairs = rendered.most.flatMap(({ record, alike, before, after }) =>
    turnPairs(before ?? [], after ?? []).map(({ role, first, other }) => ({
      title: `${record}${alikeWords(alike)}, ${role}`,
      ...marked(first, other),
    })),
  )
  return { title: 'Records that differ most', notes: pairs.length === 0 ? ['No record’s text differs.'] : [], pairs, wide: true }
}

/** ` and 49 more in the same words` */
export function alikeWords({ length }: readonly string[]): string {
  return length === 0 ? '' : ` and ${length} more in the same words`
}

/** The turns of two renderings side by side, those that differ. */
export function turnPairs(before: readonly Turn[], after: readonly Turn[]): { role: string; first: string; other: string }[] {
  return Array.from({ length: Math.max(before.length, after.length) }, (_, i) => {
    const [old, now] = [before[i], after[i]]
    return { role: defined(now ?? old).role, first: old?.text ?? '', other: now?.text ?? '' }
  }).filter(({ first, other }) => first !== other)
}
