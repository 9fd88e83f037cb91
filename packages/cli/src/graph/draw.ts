import { escapeHtml } from '@dunelight/node/host'
import { memberKey, type LibraryGraph, type Member, type MemberKind } from 'dunelight/parts'
import { defined } from 'dunelight/host'

/** Kinds differ in shade, outline and a letter, so that print and colour-blind eyes tell them apart. */
const LOOKS: Record<MemberKind, { readonly fill: string; readonly edge: string; readonly dash: string; readonly round: number }> = {
  batch: { fill: '#ffffff', edge: '#5a6b6a', dash: '2 3', round: 2 },
  assembly: { fill: '#cfe0e6', edge: '#1f4e5f', dash: '', round: 6 },
  prompt: { fill: '#1f4e5f', edge: '#1f4e5f', dash: '', round: 6 },
  persona: { fill: '#e7c9a9', edge: '#7a5230', dash: '', round: 17 },
  snippet: { fill: '#eef3ee', edge: '#4f6f52', dash: '', round: 2 },
  'example set': { fill: '#f6eeb8', edge: '#786b14', dash: '6 2', round: 2 },
  output: { fill: '#e3dcef', edge: '#594a78', dash: '', round: 2 },
  envelope: { fill: '#ffffff', edge: '#7d6a4f', dash: '', round: 2 },
  file: { fill: '#ffffff', edge: '#8a8a8a', dash: '', round: 0 },
}

const HEIGHT = 34
const PAD = 14
/** Characters are not measured before they are drawn: a box is as wide as its label would be in a wide font. */
const SIGN_WIDTH = 7.4

/** The used part of the layout package, whose own types are loose. */
interface Layout {
  node(id: string): { readonly x: number; readonly y: number }
  edges(): readonly { readonly v: string; readonly w: string }[]
  edge(from: string, to: string): { readonly points: readonly { readonly x: number; readonly y: number }[] }
  graph(): { readonly width?: number; readonly height?: number }
}

interface Box {
  readonly member: Member
  readonly x: number
  readonly y: number
  readonly width: number
}

/** The graph of a library as SVG: what uses something stands left of it. */
export async function drawGraph(graph: LibraryGraph, members: readonly Member[]): Promise<string> {
  // A layout is only needed here; the command starts without it.
  const { default: dagre } = await import('@dagrejs/dagre')
  const layout = new dagre.graphlib.Graph()
  layout.setGraph({ rankdir: 'LR', nodesep: 16, ranksep: 150, marginx: 24, marginy: 24 })
  layout.setDefaultEdgeLabel(() => ({}))
  const ids = new Map(members.map((member, i) => [memberKey(member), `m${i}`]))
  members.forEach((member, i) => layout.setNode(`m${i}`, { width: widthOf(member), height: HEIGHT }))
  const links = graph.links.filter((link) => ids.has(memberKey(link.from)) && ids.has(memberKey(link.to)))
  for (const link of links) layout.setEdge(defined(ids.get(memberKey(link.from))), defined(ids.get(memberKey(link.to))))
  dagre.layout(layout)
  const laid = layout as unknown as Layout
  const boxes = members.map((member, i): Box => {
    const { x, y } = laid.node(`m${i}`)
    return { member, x, y, width: widthOf(member) }
  })
  const { width = 0, height = 0 } = laid.graph()
  const byId = new Map(boxes.map((box, i) => [`m${i}`, box]))
  const edges = laid.edges().map(({ v, w }) => {
    // From the right side of one box to the left side of the other, by way of what the layout keeps free between them.
    const [from, to] = [defined(byId.get(v)), defined(byId.get(w))]
    const between = laid.edge(v, w).points.slice(1, -1)
    const points = [
      { x: from.x + from.width / 2, y: from.y },
      ...between.filter((p) => p.x > from.x + from.width / 2 && p.x < to.x - to.width / 2),
      { x: to.x - to.width / 2, y: to.y },
    ]
    return `<path class="link" data-from="${v}" data-to="${w}" d="${curve(points)}" marker-end="url(#tip)"/>`
  })
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${Math.ceil(width)} ${Math.ceil(height)}" width="${Math.ceil(width)}" height="${Math.ceil(height)}" role="img" aria-label="What uses what in this library" font-family="ui-sans-serif, system-ui, sans-serif" font-size="13">`,
    '<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto"><path d="M0 0.8 7 4 0 7.2z" fill="#6d7b7a"/></marker></defs>',
    '<rect width="100%" height="100%" fill="#fbf8f0"/>',
    `<g fill="none" stroke="#6d7b7a" stroke-width="1.2">${edges.join('')}</g>`,
    ...boxes.map((box, i) => boxOf(box, `m${i}`, graph)),
    '</svg>',
  ].join('\n')
}

function widthOf({ kind, name }: Member): number {
  return Math.round(Math.max(name.length, kind.length) * SIGN_WIDTH) + 2 * PAD
}

function boxOf({ member, x, y, width }: Box, id: string, graph: LibraryGraph): string {
  const { fill, edge, dash, round } = LOOKS[member.kind]
  const light = member.kind === 'prompt'
  const left = x - width / 2
  const uses = graph.uses(member).length
  const used = graph.usedBy(member).length
  return [
    `<g class="member" id="${id}" tabindex="0"><title>${escapeHtml(`${memberKey(member)}: uses ${uses}, used by ${used}`)}</title>`,
    `<rect x="${left}" y="${y - HEIGHT / 2}" width="${width}" height="${HEIGHT}" rx="${round}" fill="${fill}" stroke="${edge}" stroke-width="1.4"${dash === '' ? '' : ` stroke-dasharray="${dash}"`}/>`,
    `<text x="${x}" y="${y - 3}" text-anchor="middle" font-size="9.5" letter-spacing="0.6" fill="${light ? '#cfe3e8' : edge}">${member.kind}</text>`,
    `<text x="${x}" y="${y + 11}" text-anchor="middle" fill="${light ? '#ffffff' : '#22302f'}">${escapeHtml(member.name)}</text></g>`,
  ].join('')
}

/** A curve through a link's points, level at both ends. */
function curve(points: readonly { x: number; y: number }[]): string {
  const [first, ...rest] = points
  if (!first) return ''
  let corner = first
  let path = `M${round(first.x)} ${round(first.y)}`
  for (const next of rest) {
    const middle = (corner.x + next.x) / 2
    path += `C${round(middle)} ${round(corner.y)} ${round(middle)} ${round(next.y)} ${round(next.x)} ${round(next.y)}`
    corner = next
  }
  return path
}

function round(number: number): number {
  return Math.round(number * 10) / 10
}
