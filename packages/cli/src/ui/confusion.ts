import { defined, type LeaveOneOut } from 'dunelight/host'
import { escapeHtml } from '@dunelight/node/host'
import type { Colors } from './context.js'

function share(part: number, whole: number): string {
  return whole === 0 ? '0%' : `${Math.round((part / whole) * 100)}%`
}

function summary({ cases, rightByOne, rightByFew, alone }: LeaveOneOut): string[] {
  return [
    `${share(rightByFew, cases)} of ${cases} cases are labelled correctly by their five nearest cases, ${share(rightByOne, cases)} by the nearest one.`,
    ...(alone > 0 ? [`${alone} have no word in common with any other case and count as wrong.`] : []),
    'No model is involved: this is what likeness to the examples achieves alone.',
  ]
}

/** True labels down, labels of the nearest cases across. */
export function printConfusion(name: string, leaveOneOut: LeaveOneOut, c: Colors): string {
  const { labels, table } = leaveOneOut
  const width = Math.max(5, ...labels.map((label) => label.length)) + 2
  const lines = [
    c.bold(`${name}, each case left out in turn`),
    '',
    c.dim(`${''.padEnd(width)}${labels.map((label) => label.padStart(width)).join('')}   right`),
  ]
  labels.forEach((label, i) => {
    const row = defined(table[i])
    const cells = row.map((count, j) =>
      i === j ? c.bold(String(count).padStart(width)) : count === 0 ? c.dim('·'.padStart(width)) : String(count).padStart(width),
    )
    lines.push(
      `${label.padEnd(width)}${cells.join('')}   ${share(
        defined(row[i]),
        row.reduce((sum, index) => sum + index, 0),
      ).padStart(5)}`,
    )
  })
  return `${[...lines, '', ...summary(leaveOneOut)].join('\n')}\n`
}

/** The same as a page. The shade of a cell is its share of its row; its figure is the share in numbers. */
export function confusionPage(name: string, field: string, leaveOneOut: LeaveOneOut): string {
  const { labels, table } = leaveOneOut
  const rows = labels.map((label, i) => {
    const all = defined(table[i]).reduce((sum, index) => sum + index, 0)
    const cells = defined(table[i]).map((count, j) => {
      const part = all === 0 ? 0 : count / all
      const dark = part > 0.55
      return `<td class="${i === j ? 'right' : ''}" style="background:hsl(${i === j ? 192 : 28} 45% ${Math.round(96 - part * 68)}%);color:${dark ? '#fff' : '#22302f'}">${count === 0 ? '' : count}</td>`
    })
    return `<tr><th scope="row">${escapeHtml(label)}</th>${cells.join('')}<td class="share">${share(defined(defined(table[i])[i]), all)}</td></tr>`
  })
  return `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escapeHtml(name)}: each case left out in turn</title>
<link rel="icon" href="data:,">
<style>
  body { margin: 0; padding: 32px 40px; background: #fbf8f0; color: #22302f; font: 16px/1.5 ui-sans-serif, system-ui, sans-serif }
  h1 { font-size: 22px; margin: 0 0 4px } p { margin: 2px 0; max-width: 46em } table { border-collapse: collapse; margin: 28px 0 }
  th, td { padding: 0; height: 52px; min-width: 92px; text-align: center; font-variant-numeric: tabular-nums }
  tbody th { text-align: right; padding-right: 16px; font-weight: 500 } thead th { font-weight: 500; height: 32px } td { border: 3px solid #fbf8f0; font-size: 18px }
  td.right { outline: 2px solid #1f4e5f; outline-offset: -5px } .share { color: #4d5c5b; font-size: 15px } caption { text-align: left; color: #4d5c5b; padding-bottom: 8px }
</style>
<h1>${escapeHtml(name)}, each case left out in turn</h1>
${summary(leaveOneOut)
  .map((line) => `<p>${escapeHtml(line)}</p>`)
  .join('\n')}
<table>
<caption>Down: the ${escapeHtml(field)} that a case has. Across: the ${escapeHtml(field)} that the cases nearest to it carry. Outlined cells are right.</caption>
<thead><tr><th></th>${labels.map((label) => `<th scope="col">${escapeHtml(label)}</th>`).join('')}<th scope="col">right</th></tr></thead>
<tbody>
${rows.join('\n')}
</tbody>
</table>
</html>
`
}
