// The script that a good engineer writes for a table: stream, papaparse, template literal, JSON.stringify. No checks, no escapes of fences.
// "hoisted": the JSON of the turn that is the same for all records is made once. "values": a turn of little fixed text.
//   node bench/table-by-hand.mjs FROM TO [hoisted | values]
import { once } from 'node:events'
import { createReadStream, createWriteStream } from 'node:fs'
import { createInterface } from 'node:readline'
import { finished } from 'node:stream/promises'
import Papa from 'papaparse'
import { labelByHand, noteByHand, systemByHand, userByHand } from './label-by-hand.mjs'
import { report } from './report.mjs'

const [, , from, to, variant] = process.argv
const system = JSON.stringify(systemByHand())
const out = createWriteStream(to)
let lines = []
const started = performance.now()
if (from.endsWith('.jsonl')) await fromLines()
else await fromCsv()
out.end()
await finished(out)
report(started)

/** A line as it is written, and a word with it on whether there is room for more. */
function write() {
  if (lines.length === 0) return true
  const room = out.write(`${lines.join('\n')}\n`)
  lines = []
  return room
}

function add(row, item) {
  const record = item['object-no']
  if (variant === 'hoisted') {
    const user = JSON.stringify(userByHand(item))
    lines.push(`{"record":${JSON.stringify(record)},"row":${row},"prompt":"label/write","turns":[${system},${user}]}`)
    return
  }
  const [prompt, turns] = variant === 'values' ? ['note', [noteByHand(item)]] : ['label/write', labelByHand(item)]
  lines.push(JSON.stringify({ record, row, prompt, turns }))
}

async function fromLines() {
  let row = 0
  for await (const line of createInterface({ input: createReadStream(from, { encoding: 'utf8' }), crlfDelay: Infinity })) {
    if (line === '') continue
    add(++row, JSON.parse(line))
    if (lines.length >= 512 && !write()) await once(out, 'drain')
  }
  write()
}

async function fromCsv() {
  let head
  let row = 0
  await new Promise((resolve, reject) => {
    Papa.parse(createReadStream(from, { encoding: 'utf8' }), {
      chunk: ({ data }, parser) => {
        for (const cells of data) {
          if (!head) {
            head = cells
            continue
          }
          if (cells.length < 2) continue
          const [no, title, kind, maker, made, materials, height, weight, room, status, note, surveyed, donor] = cells
          add(++row, {
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
          })
        }
        if (write()) return
        parser.pause()
        out.once('drain', () => parser.resume())
      },
      complete: resolve,
      error: reject,
    })
  })
}
