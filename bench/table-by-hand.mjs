// The script that a good engineer writes for a table: stream, papaparse, template literal, JSON.stringify. No checks, no escapes of fences.
import { createReadStream, createWriteStream } from 'node:fs'
import { finished } from 'node:stream/promises'
import Papa from 'papaparse'
import { labelByHand } from './label-by-hand.mjs'

const [, , from, to] = process.argv
const out = createWriteStream(to)
let head
let lines = []
const input = createReadStream(from, { encoding: 'utf8' })
const started = performance.now()
await new Promise((resolve, reject) => {
  Papa.parse(input, {
    chunk: ({ data }, parser) => {
      for (const cells of data) {
        if (!head) {
          head = cells
          continue
        }
        if (cells.length < 2) continue
        const [no, title, kind, maker, made, materials, height, weight, room, status, note, surveyed, donor] = cells
        const item = {
          'object-no': no,
          title,
          kind,
          maker,
          made: made ? Number(made) : undefined,
          materials: materials.split(';'),
          'height-mm': Number(height),
          'weight-g': Number(weight),
          room,
          status,
          'survey-note': note,
          surveyed,
          donor,
        }
        lines.push(JSON.stringify({ record: no, prompt: 'label/write', turns: labelByHand(item) }))
      }
      if (lines.length === 0) return
      const room2 = out.write(`${lines.join('\n')}\n`)
      lines = []
      if (!room2) {
        parser.pause()
        out.once('drain', () => parser.resume())
      }
    },
    complete: resolve,
    error: reject,
  })
})
out.end()
await finished(out)
process.stderr.write(
  `${JSON.stringify({ ms: performance.now() - started, peak: process.resourceUsage().maxRSS, cpu: Math.round(process.cpuUsage().user / 1000), sys: Math.round(process.cpuUsage().system / 1000) })}\n`,
)
