// How cost grows with size: processor time for each unit at three sizes, tenfold from one to the next.
import { createWriteStream } from 'node:fs'
import { devNull } from 'node:os'
import { libraryFrom } from 'dunelight'
import { openLibraryFor, renderTable } from '@dunelight/node'
import { inputNotes } from './picking.mjs'
import { beginning } from './report.mjs'
import { objectsTable } from './tables.mjs'

/** What a unit may cost more where there are ten times as many. */
const MOST = 1.3
/** Small sizes are repeated for at least this time, since the clock is coarse. */
const LEAST_MS = 60
/** Rounds for each subject; more if the result is too high, since other programs may have caused it. */
const [ROUNDS, MOST_ROUNDS] = [5, 15]

const RULES = 'You are careful and exact; you answer in whole sentences. '

const SUBJECTS = [
  { what: 'rows of a table', sizes: [2_000, 20_000, 200_000], prepare: tableOf },
  { what: 'prompts of a library', sizes: [100, 1_000, 10_000], prepare: (count) => () => libraryFrom(manyPrompts(count)) },
  { what: 'snippets within one another', sizes: [3, 10, 30], prepare: (depth) => () => libraryFrom(nestedFiles(depth)).prompt('p') },
  { what: 'cases of an example set', sizes: [1_000, 10_000, 100_000], prepare: casesOf },
  { what: 'items of a list', sizes: [100, 1_000, 10_000], prepare: itemsOf },
  {
    what: 'characters of plain text in a fence',
    sizes: [1_000, 10_000, 100_000],
    prepare: (length) => fenced(length, 'A lamp, repaired. '),
  },
  {
    what: 'characters of HTML in a fence',
    sizes: [1_000, 10_000, 100_000],
    prepare: (length) => fenced(length, '<p>A <b>lamp</b> &amp; 3 &lt; 4</p>\n'),
  },
  { what: 'properties of a JSON Schema', sizes: [10, 100, 1_000], prepare: (count) => () => libraryFrom(schemaFiles(count)).prompt('p') },
]

/** Prints the cost of a unit at each size; false if it grows too fast somewhere. */
export async function benchGrowth(say) {
  say(`\nCost of a unit as sizes grow, microseconds (at most ${MOST} times as much for ten times as many):`)
  let isFit = true
  for (const { what, sizes, prepare } of SUBJECTS) {
    const costs = await costsOf(sizes, prepare)
    const worst = growthOf(sizes, costs)
    if (worst > MOST) isFit = false
    const each = sizes.map((size, i) => `${size.toLocaleString('en')}: ${costs[i].toPrecision(3)}`)
    say(`  ${what.padEnd(38)} ${each.join('   ').padEnd(56)} ${worst.toFixed(2)}${worst > MOST ? '  too much' : ''}`)
  }
  return isFit
}

/** How much more a unit costs at ten times the size: the largest of the steps. */
function growthOf(sizes, costs) {
  return Math.max(...costs.slice(1).map((cost, i) => (cost / costs[i]) ** (1 / Math.log10(sizes[i + 1] / sizes[i]))))
}

/** Microseconds of processor time for a unit, the sizes taking turns; the least of the rounds, since what else runs only adds to it. */
async function costsOf(sizes, prepare) {
  const runs = []
  for (const size of sizes) runs.push(await prepare(size))
  const least = sizes.map(() => Infinity)
  for (let round = 0; round < ROUNDS || (round < MOST_ROUNDS && growthOf(sizes, least) > MOST); round++) {
    for (const [i, run] of runs.entries()) {
      const spent = beginning()
      const until = performance.now() + LEAST_MS
      let times = 0
      do {
        await run()
        times++
      } while (performance.now() < until)
      least[i] = Math.min(least[i], (spent().cpu * 1000) / times / sizes[i])
    }
  }
  return least
}

async function tableOf(rows) {
  const from = await objectsTable(rows)
  const prompt = (await openLibraryFor('demo/marram-house', 'label/write')).prompt('label/write')
  return () => renderTable({ prompt, records: from, to: createWriteStream(devNull) })
}

function manyPrompts(count) {
  const snippets = Math.max(4, Math.floor(count / 10))
  const files = {}
  for (let i = 0; i < snippets; i++)
    files[`snippets/s${i}.txt`] = `Rule ${i}: name thing ${i} first, and say nothing of what is not known.\n`
  for (let i = 0; i < count; i++)
    files[`prompts/p${i}.yaml`] = `title: P ${i}
variables: { name: text, count: { type: integer, min: 0 }, note: { type: text, optional: true } }
turns:
  - system: |
      ${RULES.repeat(16)}
      ~ use s${i % snippets}
  - user: |
      Write about {name}, of which there are {count as number}.
      ~ when note
      The note says: {note}
      ~ end
`
  return files
}

function nestedFiles(depth) {
  const files = { 'prompts/p.yaml': 'title: P\nvariables: { a: text }\nturns: [{ user: "~ use s0\\n" }]\n' }
  for (let i = 0; i < depth; i++)
    files[`snippets/s${i}.yaml`] = `variables: { a: text }\ntext: |\n  Line ${i} {a}\n${i < depth - 1 ? `  ~ use s${i + 1}\n` : ''}`
  return files
}

function casesOf(count) {
  const records = inputNotes(count, 1).map((note, i) => ({ note, grade: i % 3 }))
  const files = {
    'examples/notes.yaml': 'fields: { note: text, grade: integer }\nfrom: ../data/notes.jsonl\npick: { by: likeness, at-most: 6 }\n',
    'prompts/p.yaml': 'title: P\nvariables: { note: text }\nturns: [{ examples: notes }, { input: notes }]\n',
  }
  const [asked] = inputNotes(1, 7)
  return () =>
    libraryFrom(files, { tables: { 'data/notes.jsonl': { kind: 'records', records } } })
      .prompt('p')
      .render({ note: asked })
}

function itemsOf(count) {
  const prompt = libraryFrom({
    'prompts/p.yaml': 'title: P\nvariables: { list: list }\nturns: [{ user: "~ each one in list\\n- {one}\\n~ end\\n" }]\n',
  }).prompt('p')
  const list = Array.from({ length: count }, (_, i) => `item ${i}`)
  return () => prompt.render({ list })
}

function fenced(length, piece) {
  const prompt = libraryFrom({
    'prompts/p.yaml': 'title: P\nvariables: { note: text }\nturns: [{ user: "{note as fenced}" }]\n',
  }).prompt('p')
  const note = piece.repeat(Math.ceil(length / piece.length)).slice(0, length)
  let times = 0
  // Another text each time: what was found in one is remembered.
  return () => prompt.render({ note: `${note}${++times}` })
}

/** A schema whose parts refer to one another. */
function schemaFiles(count) {
  const properties = {}
  for (let i = 0; i < count; i++)
    properties[`p${i}`] = i % 10 === 0 ? { $ref: '#/$defs/part' } : { type: 'string', description: `part ${i}` }
  const part = { type: 'object', properties: { name: { type: 'string' }, parts: { type: 'array', items: { $ref: '#/$defs/part' } } } }
  return {
    'outputs/o.schema.json': JSON.stringify({ type: 'object', properties, required: ['p1'], $defs: { part } }),
    'prompts/p.yaml': 'title: P\noutput: o\nturns: [{ user: "Go.\\n~ use output\\n" }]\n',
  }
}
