import { readFileSync } from 'node:fs'
import { libraryFrom } from 'dunelight'
import Papa from 'papaparse'

/** The words of the demo's survey notes, as often as they come there. */
const table = Papa.parse(readFileSync('demo/marram-house/data/objects.csv', 'utf8'), { header: true }).data
const WORDS = table.flatMap((row) => (row['Survey note'] ?? '').match(/[\p{L}\d]+/gu) ?? [])
const LABELS = ['sound', 'watch', 'treat', 'urgent']

/** Numbers from a seed, so that every run asks the same. */
function numbers(seed) {
  let state = seed
  return () => {
    state = (state * 1664525 + 1013904223) >>> 0
    return state / 2 ** 32
  }
}

export function inputNotes(count, seed) {
  const next = numbers(seed)
  return Array.from({ length: count }, () =>
    Array.from({ length: 10 + Math.floor(next() * 25) }, () => WORDS[Math.floor(next() * WORDS.length)]).join(' '),
  )
}

/** What picking 6 cases costs a record, beside the same rendering with 6 cases that are always the same. */
export function benchPicking(say) {
  say('\nPicking 6 cases, microseconds a record (median of 400 records):')
  const asked = inputNotes(400, 7).map((note) => ({ note }))
  for (const count of [1_000, 100_000]) {
    const cases = inputNotes(count, 1).map((note, i) => ({ note, grade: LABELS[i % 4] }))
    for (const rule of ['first, at-most: 6', 'likeness, at-most: 6', 'likeness, at-most: 6, cover: grade', 'spread, at-most: 6']) {
      const files = {
        'examples/notes.yaml': `fields: { note: text, grade: { type: choice, of: [${LABELS.join(', ')}] } }\nfrom: ../data/notes.jsonl\npick: { by: ${rule} }\n`,
        'prompts/p.yaml': 'title: P\nvariables: { note: text }\nturns: [{ examples: notes }, { input: notes }]\n',
      }
      const opened = performance.now()
      const prompt = libraryFrom(files, { tables: { 'data/notes.jsonl': { kind: 'records', records: cases } } }).prompt('p')
      const open = performance.now() - opened
      const first = performance.now()
      prompt.turns(asked[0])
      const indexed = performance.now() - first
      const times = asked.slice(1).map((record) => {
        const start = performance.now()
        prompt.turns(record)
        return performance.now() - start
      })
      const median = times.sort((a, b) => a - b)[times.length >> 1] * 1000
      say(
        `  ${count.toLocaleString('en').padStart(8)} cases, ${rule.padEnd(36)} ${median.toFixed(0).padStart(7)}   (opened in ${open.toFixed(0)} ms, first record ${indexed.toFixed(0)} ms)`,
      )
    }
  }
}
