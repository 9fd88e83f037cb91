import { defined } from 'dunelight/host'
import type { ReasonCount } from './counts.js'

/** A part of a report, before it is laid out. */
export interface Section {
  readonly title: string
  readonly says: readonly string[]
  readonly head?: readonly string[]
  readonly rows?: readonly (readonly string[])[]
  /** Shares of the largest, drawn as bars beside the rows. */
  readonly bars?: readonly number[]
  /** Texts beside each other, what only one of them has marked in it. */
  readonly pairs?: readonly Pair[]
  /** Whether it has the page's whole width. */
  readonly wide?: boolean
}

/** A piece of a text, and whether the text beside it lacks it. */
export interface Stretch {
  readonly text: string
  readonly own: boolean
}

export interface Pair {
  readonly title: string
  readonly one: readonly Stretch[]
  readonly other: readonly Stretch[]
}

/** A report: its title, what is to be known first, and its parts. */
export interface Report {
  readonly title: string
  readonly facts: readonly (readonly [string, string])[]
  readonly sections: readonly Section[]
}

/** A number as people read it: `12,345`. */
export function formatNumber(value: number): string {
  return Math.round(value).toLocaleString('en')
}

/** Why records were set aside, the commonest reason first. */
export function reasonsSection(reasons: readonly ReasonCount[], where: string): Section {
  if (reasons.length === 0) return { title: 'Rejected', says: ['No record was rejected.'] }
  const rows = [...reasons]
    .sort((a, b) => b.count - a.count)
    .map((one) => [one.code, formatNumber(one.count), one.examples.map((example) => `${example.id}: ${example.message}`).join('\n')])
  return { title: 'Rejected', says: [where], head: ['reason', 'records', 'such as'], rows }
}

const BAR = 30

export function toMarkdown({ title, facts, sections: parts }: Report): string {
  const cell = (text: string) => text.replace(/\|/g, '\\|').replace(/\n/g, '<br>')
  const table = ({ head, rows, bars }: Section) => {
    if (!head || !rows) return ''
    const drawn = (i: number) => (bars ? [`\`${'█'.repeat(Math.round(defined(bars[i]) * BAR)) || '▏'}\``] : [])
    const line = (cells: readonly string[]) => `| ${cells.map(cell).join(' | ')} |`
    return `${line([...head, ...(bars ? [''] : [])])}\n${line([...head, ...(bars ? [''] : [])].map((_, i) => (i === 0 ? '---' : i > head.length - 1 ? '---' : '---')))}\n${rows
      .map((row, i) => line([...row, ...drawn(i)]))
      .join('\n')}\n\n`
  }
  const sections = parts.map(
    (one) => `## ${one.title}\n\n${one.says.map((says) => `${says}\n\n`).join('')}${table(one)}${(one.pairs ?? []).map(quoted).join('')}`,
  )
  return `# ${title}\n\n${facts.map(([name, value]) => `- ${name}: ${value}`).join('\n')}\n\n${sections.join('')}`.trimEnd() + '\n'
}

/** Two texts, one below the other. */
function quoted({ title, one, other }: Pair): string {
  const quote = (stretches: readonly Stretch[]) =>
    `> ${stretches
      .map(({ text, own }) => (own && text.trim() !== '' ? text.replace(/\S(?:.*\S)?/s, (words) => `**${words}**`) : text))
      .join('')
      .replace(/\n/g, '\n> ')}\n\n`
  return `### ${title}\n\n${quote(one)}${quote(other)}`
}

/** Two texts, one beside the other. */
function beside({ title, one, other }: Pair): string {
  const text = (stretches: readonly Stretch[], tag: 'del' | 'ins') =>
    `<blockquote>${stretches.map((part) => (part.own ? `<${tag}>${escape(part.text)}</${tag}>` : escape(part.text))).join('')}</blockquote>`
  return `<article><h3>${escape(title)}</h3>${text(one, 'del')}${text(other, 'ins')}</article>`
}

export function toHtml({ title, facts, sections: parts }: Report): string {
  const table = ({ head, rows, bars }: Section) => {
    if (!head || !rows) return ''
    const top = head.some((one) => one !== '')
      ? `<thead><tr>${head.map((one, i) => `<th${NUMBER.test(rows[0]?.[i] ?? '') ? ' class="n"' : ''}>${escape(one)}</th>`).join('')}${bars ? '<th></th>' : ''}</tr></thead>`
      : ''
    const body = rows.map((row, i) => {
      const bar = bars ? `<td class="bar"><i style="width:${Math.max(0.5, defined(bars[i]) * 100).toFixed(1)}%"></i></td>` : ''
      return `<tr>${row.map((one) => `<td${classOf(one)}>${escape(one)}</td>`).join('')}${bar}</tr>`
    })
    return `<table>${top}<tbody>${body.join('')}</tbody></table>`
  }
  const sections = parts.map(
    (one) =>
      `<section${one.wide ? ' class="wide"' : ''}><h2>${escape(one.title)}</h2>${one.says.map((says) => `<p>${escape(says)}</p>`).join('')}${table(one)}${(one.pairs ?? []).map(beside).join('')}</section>`,
  )
  return `<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escape(title)}</title>
<link rel="icon" href="data:,">
<style>${STYLE}</style>
<header><h1>${escape(title)}</h1><dl>${facts
    .map(([name, value]) => `<dt>${escape(name)}</dt><dd>${escape(value)}</dd>`)
    .join('')}</dl></header>
<main>${sections.join('\n')}</main>
</html>
`
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
td.words { white-space: pre-line; overflow-wrap: anywhere; width: 100%; }
td.n, th.n { text-align: right; font-variant-numeric: tabular-nums; }
td.bar { width: 70%; } td.bar i { display: block; height: 12px; margin-top: 5px; background: var(--bar); }
p { margin: 0 0 8px; color: var(--soft); }
section.wide { grid-column: 1 / -1; }
article { display: grid; grid-template-columns: 1fr 1fr; gap: 4px 24px; border-top: 1px solid var(--line); padding: 10px 0; }
h3 { font-size: 14px; font-weight: 500; color: var(--soft); margin: 0; grid-column: 1 / -1; }
blockquote { margin: 0; white-space: pre-wrap; overflow-wrap: anywhere; }
del, ins { text-decoration: none; background: var(--mark); border-bottom: 2px solid var(--bar); }
del { border-bottom-style: dashed; }
@media (max-width: 640px) { main, article { grid-template-columns: 1fr; } }
`

const NUMBER = /^(?:·$|[\d,]+(?:\.\d+)?(?:$| ))/

/** Figures stand below each other, sentences may break. */
function classOf(cell: string): string {
  if (NUMBER.test(cell)) return ' class="n"'
  return cell.includes(': ') ? ' class="words"' : ''
}

function escape(text: string): string {
  return text.replace(/[&<>"]/g, (sign) => defined({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }[sign]))
}
