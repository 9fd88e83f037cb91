// Single functions beside their limits, in one process: medians of many rounds that take turns.
import { readFileSync } from 'node:fs'
import { spawn } from 'node:child_process'
import Papa from 'papaparse'
import { libraryFrom } from 'dunelight'
import { openLibrary } from '@dunelight/node'
import { labelByHand } from './label-by-hand.mjs'

/** Flattens a text as a writer would have to: engines keep joined strings as trees until they are read. */
const flat = (text) => {
  let sum = 0
  for (let i = 0; i < text.length; i += 997) sum += text.charCodeAt(i)
  return sum
}
const median = (list) => [...list].sort((a, b) => a - b)[list.length >> 1]

/** Microseconds a call, the candidates taking turns within each round. */
function compare(candidates, { rounds = 60, calls = 60 } = {}) {
  const times = Object.fromEntries(Object.keys(candidates).map((name) => [name, []]))
  for (let round = 0; round < rounds + 15; round++) {
    for (const [name, run] of Object.entries(candidates)) {
      const start = performance.now()
      for (let i = 0; i < calls; i++) run(i)
      if (round >= 15) times[name].push(((performance.now() - start) * 1000) / calls)
    }
  }
  return Object.fromEntries(Object.entries(times).map(([name, list]) => [name, median(list)]))
}

export async function benchFunctions(say) {
  const library = await openLibrary('demo/marram-house')
  const prompt = library.prompt('label/write')
  const [headings, ...rows] = Papa.parse(readFileSync('demo/marram-house/data/objects.csv', 'utf8'), { skipEmptyLines: true }).data
  const reader = prompt.reader(headings)
  const records = rows.map((cells, i) => reader.read(cells, i + 1)).flatMap(({ prepared }) => (prepared ? [prepared.values] : []))
  for (const values of records) {
    const ours = prompt.turns(values).map((turn) => turn.text)
    const hand = labelByHand(values.item).map((turn) => turn.text)
    if (ours.join('\n') !== hand.join('\n'))
      throw new Error(`the hand-written label differs for ${values.item['object-no']}:\n${ours.join('\n')}\n---\n${hand.join('\n')}`)
  }
  const batch = (render) => () => {
    for (const values of records) for (const turn of render(values)) flat(turn.text)
  }
  const prepared = records.map((values) => prompt.prepare(values))
  const preparedBatch = (origins) => () => {
    for (const one of prepared) for (const turn of one.turns({ origins })) flat(turn.text)
  }
  const us = compare(
    {
      'template literal': batch((values) => labelByHand(values.item)),
      'rendering, values checked before': preparedBatch(false),
      'rendering with origins, values checked before': preparedBatch(true),
      'checking values and rendering': batch((values) => prompt.turns(values)),
      'checking values and rendering with origins': batch((values) => prompt.turns(values, { origins: true })),
    },
    { calls: 4 },
  )
  say(
    `\nOne label (${Math.round(labelByHand(records[0].item).reduce((sum, t) => sum + t.text.length, 0))} signs), microseconds and ratio to the template literal:`,
  )
  for (const [name, time] of Object.entries(us))
    say(`  ${name.padEnd(50)} ${(time / records.length).toFixed(2).padStart(7)}   ${(time / us['template literal']).toFixed(2)}`)

  say('\nA library of 1,000 prompts of 2 KB, from texts to ready to render:')
  const files = Object.fromEntries(Array.from({ length: 1000 }, (_, n) => [`prompts/p${n}.yaml`, bigPrompt(n)]))
  const opening = [0, 1, 2].map(() => {
    const start = performance.now()
    const opened = libraryFrom(files)
    if (opened.problems.length > 0) throw new Error(opened.problems[0].message)
    return performance.now() - start
  })
  say(`  ${median(opening).toFixed(0)} ms (best ${Math.min(...opening).toFixed(0)}, first ${opening[0].toFixed(0)})`)

  const starts = []
  const bare = []
  for (let i = 0; i < 7; i++) {
    starts.push(
      await firstOutput([
        'packages/cli/bin/dunelight.js',
        'render',
        'demo/marram-house',
        'label/write',
        '--records',
        'demo/marram-house/data/objects.csv',
        '--take',
        '1',
      ]),
    )
    bare.push(await firstOutput(['-e', 'process.stdout.write("x")']))
  }
  say(`\nThe command, from start to its first output: ${median(starts).toFixed(0)} ms (Node alone: ${median(bare).toFixed(0)} ms)`)
}

/** Milliseconds from starting Node to the first byte that it writes. */
function firstOutput(args) {
  const start = performance.now()
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'ignore'] })
  return new Promise((resolve) => {
    child.stdout.once('data', () => resolve(performance.now() - start))
  })
}

function bigPrompt(n) {
  const line = (i) =>
    `      Line ${i} of prompt ${n} speaks of {item.title} at some length, so that it is about as long as people write.\n      ~ when item.maker\n      Made by {item.maker as title}.\n      ~ end\n`
  return `title: Prompt ${n}\nvariables:\n  item: { type: record, fields: { title: text, maker: { type: text, optional: true } } }\nturns:\n  - user: |\n${Array.from({ length: 11 }, (_, i) => line(i)).join('')}`
}
