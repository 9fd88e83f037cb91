import { basename, isAbsolute, relative } from 'node:path'
import { defined } from 'dunelight/host'
import type { Chart } from './chart.js'
import type { ReasonCount } from './counts.js'

/** A part of a report, before it is laid out. */
export interface Section {
  readonly title: string
  readonly notes: readonly string[]
  readonly head?: readonly string[]
  readonly rows?: readonly (readonly string[])[]
  /** Counts as bars, in place of a table. */
  readonly chart?: Chart
  /** Lines of a patch: those that begin with + were added, those with - removed. */
  readonly lines?: readonly string[]
  /** Two texts to compare, with the differences marked. */
  readonly pairs?: readonly Pair[]
  /** Whether it takes the full width of the page. */
  readonly wide?: boolean
}

/** A piece of a text, and whether the other text lacks it. */
export interface TextChunk {
  readonly text: string
  readonly own: boolean
}

export interface Pair {
  readonly title: string
  readonly first: readonly TextChunk[]
  readonly other: readonly TextChunk[]
}

/** A report: its title, a summary, and its sections. */
export interface Report {
  readonly title: string
  readonly facts: readonly (readonly [string, string])[]
  readonly sections: readonly Section[]
}

/** A path as a report shows it: within the library, else the name alone, since the folders above belong to a machine, not to a run. */
export function reportPath(library: string, path: string): string {
  if (!isAbsolute(path)) return path
  const inside = relative(library, path).replaceAll('\\', '/')
  return inside.startsWith('../') || isAbsolute(inside) ? basename(path) : inside
}

/** A number as people read it: `12,345`. */
export function formatNumber(value: number): string {
  return Math.round(value).toLocaleString('en')
}

/** Why records were rejected, the most frequent reason first. */
export function reasonsSection(reasons: readonly ReasonCount[], where: string): Section {
  if (reasons.length === 0) return { title: 'Rejected', notes: ['No record was rejected.'] }
  const rows = [...reasons]
    .sort((a, b) => b.count - a.count)
    .map((reason) => [
      reason.code,
      formatNumber(reason.count),
      reason.examples.map((example) => `${example.id}: ${example.message}`).join('\n'),
    ])
  return { title: 'Rejected', notes: [where], head: ['reason', 'records', 'examples'], rows }
}

const BAR = 30

/** A chart as a table: its labels, their counts, and bars of characters. */
function chartTable({ of, unit, labels, counts }: Chart): { head: readonly string[]; rows: readonly (readonly string[])[] } {
  const most = Math.max(1, ...counts)
  const bar = (count: number) => `\`${'█'.repeat(Math.round((count / most) * BAR)) || '▏'}\``
  return { head: [of, unit, ''], rows: labels.map((label, i) => [label, formatNumber(defined(counts[i])), bar(defined(counts[i]))]) }
}

export function toMarkdown({ title, facts, sections: parts }: Report): string {
  const cell = (text: string) => text.replace(/\|/g, '\\|').replace(/\n/g, '<br>')
  const line = (cells: readonly string[]) => `| ${cells.map(cell).join(' | ')} |\n`
  const table = (section: Section) => {
    const { head, rows } = section.chart ? chartTable(section.chart) : section
    return head && rows ? `${line(head)}${line(head.map(() => '---'))}${rows.map(line).join('')}\n` : ''
  }
  const sections = parts.map(
    (section) =>
      `## ${section.title}\n\n${section.notes.map((message) => `${message}\n\n`).join('')}${table(section)}${section.lines ? `\`\`\`\`diff\n${section.lines.join('\n')}\n\`\`\`\`\n\n` : ''}${(section.pairs ?? []).map(quoted).join('')}`,
  )
  return `# ${title}\n\n${facts.map(([name, value]) => `- ${name}: ${value}`).join('\n')}\n\n${sections.join('')}`.trimEnd() + '\n'
}

/** Two texts below each other. */
function quoted({ title, first, other }: Pair): string {
  const quote = (chunks: readonly TextChunk[]) =>
    `> ${chunks
      .map(({ text, own }) => (own && text.trim() !== '' ? text.replace(/\S(?:.*\S)?/s, (words) => `**${words}**`) : text))
      .join('')
      .replace(/\n/g, '\n> ')}\n\n`
  return `### ${title}\n\n${quote(first)}${quote(other)}`
}

/** Two texts side by side. */
function beside({ title, first, other }: Pair): string {
  const text = (chunks: readonly TextChunk[], tag: 'del' | 'ins') =>
    `<blockquote>${chunks.map((part) => (part.own ? `<${tag}>${escapeHtml(part.text)}</${tag}>` : escapeHtml(part.text))).join('')}</blockquote>`
  return `<article><h3>${escapeHtml(title)}</h3>${text(first, 'del')}${text(other, 'ins')}</article>`
}

/** A report as a page of its own: no script, nothing loaded, charts as SVG. */
export async function toHtml({ title, facts, sections }: Report): Promise<string> {
  // The chart library is large: a report without a chart does not load it.
  const draw = sections.some(({ chart }) => chart) ? (await import('./chart.js')).drawChart : undefined
  const drawn = sections.map((section) => sectionHtml(section, draw))
  return `<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title>
<link rel="icon" href="data:,">
<style>${STYLE}</style>
<header><h1>${escapeHtml(title)}</h1><dl>${facts.map(([name, value]) => `<dt>${escapeHtml(name)}</dt><dd>${escapeHtml(value)}</dd>`).join('')}</dl></header>
<main>${drawn.join('\n')}</main>
</html>
`
}

function sectionHtml(section: Section, draw: ((chart: Chart) => string) | undefined): string {
  const { title, notes, chart, pairs = [], lines = [], wide } = section
  const figure = chart && draw ? `<figure>${draw(chart)}</figure>` : tableHtml(section)
  return `<section${wide ? ' class="wide"' : ''}><h2>${escapeHtml(title)}</h2>${notes.map((note) => `<p>${escapeHtml(note)}</p>`).join('')}${figure}${lines.length > 0 ? `<pre>${lines.map(patchLine).join('')}</pre>` : ''}${pairs.map(beside).join('')}</section>`
}

/** A line of a patch, on a line of its own. */
function patchLine(line: string): string {
  const tag = line.startsWith('+') ? 'ins' : line.startsWith('-') ? 'del' : undefined
  const text = escapeHtml(line)
  return `${tag === undefined ? text : `<${tag}>${text}</${tag}>`}\n`
}

function tableHtml({ head, rows }: Section): string {
  if (!head || !rows) return ''
  const isNumber = (i: number) => NUMBER.test(rows[0]?.[i] ?? '')
  const headings = head.map((text, i) => `<th${isNumber(i) ? ' class="n"' : ''}>${escapeHtml(text)}</th>`).join('')
  const top = head.some((text) => text !== '') ? `<thead><tr>${headings}</tr></thead>` : ''
  const body = rows.map((row) => `<tr>${row.map((text) => `<td${classOf(text)}>${escapeHtml(text)}</td>`).join('')}</tr>`)
  return `<table>${top}<tbody>${body.join('')}</tbody></table>`
}

const STYLE = `
:root { color-scheme: light dark; --ink: #24302f; --paper: #faf8f3; --line: #cfc8b8; --soft: #6b6a5e; --bar: #3f6a72; --mark: #e6e0cc; }
@media (prefers-color-scheme: dark) { :root { --ink: #e8e4d8; --paper: #1c2322; --line: #46504d; --soft: #a3a294; --bar: #7fb0b5; --mark: #37423f; } }
body { margin: 0; background: var(--paper); color: var(--ink); font: 15px/1.5 system-ui, sans-serif; }
header, main { max-width: 1180px; margin: 0 auto; padding: 20px 28px; }
header { border-bottom: 1px solid var(--line); }
h1 { font-size: 24px; margin: 0 0 10px; }
h2 { font-size: 16px; margin: 0 0 8px; }
dl { display: grid; grid-template-columns: max-content 1fr; gap: 2px 18px; margin: 0; }
dt { color: var(--soft); } dd { margin: 0; overflow-wrap: anywhere; }
main { display: grid; grid-template-columns: repeat(auto-fit, minmax(480px, 1fr)); gap: 26px 44px; }
table { border-collapse: collapse; width: 100%; }
th { text-align: left; font-weight: 500; color: var(--soft); }
td, th { padding: 3px 14px 3px 0; border-bottom: 1px solid var(--line); vertical-align: top; white-space: nowrap; }
th { white-space: normal; }
td.words { white-space: pre-line; overflow-wrap: anywhere; width: 100%; }
td.n, th.n { text-align: right; font-variant-numeric: tabular-nums; }
figure { margin: 0; } .chart { display: block; width: 100%; max-width: 560px; height: auto; }
p { margin: 0 0 8px; color: var(--soft); }
pre { margin: 0; font: 13px/1.5 ui-monospace, monospace; white-space: pre-wrap; overflow-wrap: anywhere; }
section.wide { grid-column: 1 / -1; }
article { display: grid; grid-template-columns: 1fr 1fr; gap: 4px 24px; border-top: 1px solid var(--line); padding: 10px 0; }
h3 { font-size: 14px; font-weight: 500; color: var(--soft); margin: 0; grid-column: 1 / -1; }
blockquote { margin: 0; white-space: pre-wrap; overflow-wrap: anywhere; }
del, ins { text-decoration: none; background: var(--mark); border-bottom: 2px solid var(--bar); }
del { border-bottom-style: dashed; }
@media (max-width: 640px) { main, article { grid-template-columns: 1fr; } }
`

const NUMBER = /^(?:·$|[\d,]+(?:\.\d+)?(?:$| ))/

/** Figures are aligned, sentences may break. */
function classOf(cell: string): string {
  if (NUMBER.test(cell)) return ' class="n"'
  return cell.includes(': ') ? ' class="words"' : ''
}

/** A text within HTML. */
export function escapeHtml(text: string): string {
  return text.replace(/[&<>"]/g, (character) => defined({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }[character]))
}
