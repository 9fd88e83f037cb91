import type { Library } from 'dunelight'
import { memberKey, type Member } from 'dunelight/parts'
import { defineCommand, JSON_FLAG, LIBRARY, OVERWRITE } from '../define-command.js'
import { openToRead } from '../flags/open-library.js'
import { drawGraph } from '../graph/draw.js'
import { membersNamed, sayMembers } from '../graph/members.js'
import { graphPage } from '../graph/page.js'
import { writeResult } from '../ui/result-file.js'
import { colorsFor, EXIT, plural, WrongUse, type Colors, type CommandContext } from '../ui/context.js'

interface GraphFlags {
  readonly of?: string
  readonly to?: string
  readonly overwrite?: boolean
  readonly json?: boolean
}

export const graphCommand = defineCommand({
  name: 'graph',
  group: 'Write',
  about: 'Show or draw what uses what in a library.',
  arguments: [LIBRARY],
  options: [
    ['--of <name>', 'only what this uses, and what uses it'],
    ['--to <file>', 'draw it to FILE.svg or FILE.html'],
    OVERWRITE,
    JSON_FLAG,
  ],
  examples: ['graph demo/marram-house --of house/style'],
  run: (context, [folder], flags: GraphFlags) => graph(context, folder, flags),
})

/** What uses what in a library, both ways: as text, as JSON, or drawn. */
async function graph(context: CommandContext, folder: string, flags: GraphFlags): Promise<number> {
  const ending = flags.to === undefined ? undefined : /\.(svg|html)$/.exec(flags.to)?.[1]
  if (flags.to !== undefined && ending === undefined)
    throw new WrongUse(`"${flags.to}" ends in no form that a graph is drawn in`, 'end it in .svg or .html')
  const library = await openToRead(folder)
  const centre = flags.of === undefined ? undefined : membersNamed(library, folder, flags.of)
  const members = centre ? neighbourhood(library, centre) : [...library.graph.members]
  if (flags.to !== undefined) {
    const svg = await drawGraph(library.graph, members)
    const summary = `${plural(members.length, 'member')}${flags.of === undefined ? '' : ` around ${flags.of}`}.`
    const text = ending === 'svg' ? `${svg}\n` : graphPage(library.title ?? folder, svg, summary)
    await writeResult(flags.to, text, flags.overwrite ?? false)
    context.stderr.write(`${plural(members.length, 'member')} drawn → ${flags.to}\n`)
  } else if (flags.json) context.stdout.write(`${JSON.stringify(asData(library, members), null, 2)}\n`)
  else
    context.stdout.write(
      centre
        ? printAround(library, centre, colorsFor(context.stdout, context.env))
        : printAll(library, colorsFor(context.stdout, context.env)),
    )
  return EXIT.done
}

/** Members with all that they draw on and all that draws on them. */
function neighbourhood({ graph }: Library, centre: readonly Member[]): Member[] {
  const all = centre.flatMap((member) => [...graph.reaches(member).reverse(), member, ...graph.drawsOn(member)])
  return [...new Map(all.map((member) => [memberKey(member), member])).values()]
}

function asData({ graph }: Library, members: readonly Member[]) {
  return members.map((member) => ({ ...member, uses: graph.uses(member), usedBy: graph.usedBy(member) }))
}

/** Every member with its own links, kind by kind. */
function printAll({ graph }: Library, c: Colors): string {
  const kinds = [...new Set(graph.members.map((member) => member.kind))]
  return kinds
    .map((kind) => {
      const own = graph.members.filter((member) => member.kind === kind)
      return `${c.dim(pluralOf(kind))}\n${own.map((member) => printLinks(member, graph.uses(member), graph.usedBy(member), c)).join('')}`
    })
    .join('\n')
}

function pluralOf(kind: string): string {
  return kind === 'batch' ? 'batches' : kind === 'assembly' ? 'assemblies' : `${kind}s`
}

function printLinks(member: Member, uses: readonly Member[], used: readonly Member[], c: Colors): string {
  const lines = [`  ${c.bold(member.name)}`]
  if (uses.length > 0) lines.push(`    uses     ${sayMembers(uses)}`)
  if (used.length > 0) lines.push(`    used by  ${sayMembers(used)}`)
  return `${lines.join('\n')}\n`
}

/** One member, all that it draws on and all that would change with it. */
function printAround({ graph }: Library, centre: readonly Member[], c: Colors): string {
  return centre
    .map((member) => {
      const down = graph.drawsOn(member)
      const up = graph.reaches(member)
      return [
        c.bold(memberKey(member)),
        `  uses     ${down.length === 0 ? c.dim('nothing') : sayMembers(down)}`,
        `  used by  ${up.length === 0 ? c.dim('nothing') : sayMembers(up)}`,
      ].join('\n')
    })
    .map((text) => `${text}\n`)
    .join('\n')
}
