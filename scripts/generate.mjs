// Objects of the demo's shape in any number, the same for the same seed: for load.
import { createWriteStream } from 'node:fs'
import { finished } from 'node:stream/promises'

const HEADING = 'Object No.,Title,Kind,Maker,Made,Materials,Height mm,Weight g,Room,Status,Survey note,Surveyed,Donor,Donor e-mail'
const THINGS = [
  'lantern',
  'net needle',
  'butter stamp',
  'sea-chest',
  'school slate',
  'weather glass',
  'herring barrel',
  'boat hook',
  'milk yoke',
  'fog bell',
]
const TRAITS = ['small', 'mended', 'painted', 'long', 'burnt', 'unfinished', 'double', 'carved']
const KINDS = ['lamp', 'fishing', 'dairy', 'furniture', 'school', 'instrument', 'boat']
const MAKERS = ['', '', '', 'Harl Foundry', 'Tarrow & Sons', 'Anselm Rook', 'Corwen Brassworks', '"Old" Jem Hale']
const MATERIALS = ['oak', 'ash', 'iron', 'brass', 'glass', 'leather', 'linen', 'horn']
const ROOMS = ['H0', 'K0', 'D0', 'B0', 'S1', 'L1', 'C1', 'A2']
const STATUS = ['on display', 'in store', 'on loan']
const NOTES = [
  'Sound, waxed in spring, no change since the last survey.',
  'Lid warped by a hand’s width, "as it always was", says the donor.',
  'Rust at the heel, stable.\nKeep it off the outer wall, where the damp comes through in February.',
  'Two corners chipped, one joint open; the tape of 1962 pulls at the paint.',
  'Old flight holes along one edge, none fresh. Frass test clean, look again in May.',
]

/** Writes `rows` objects to a CSV file. */
export async function generateObjects(rows, file, seed = 1884) {
  const out = createWriteStream(file)
  const random = generator(seed)
  const pick = (list) => list[Math.floor(random() * list.length)]
  out.write(`${HEADING}\n`)
  let lines = ''
  for (let n = 1; n <= rows; n++) {
    const materials = [...new Set([pick(MATERIALS), pick(MATERIALS), pick(MATERIALS)])].join(';')
    const day = `2026-0${1 + Math.floor(random() * 8)}-${10 + Math.floor(random() * 19)}`
    const cells = [
      `MH-${String(n).padStart(4, '0')}`,
      `${pick(THINGS)}, ${pick(TRAITS)}`,
      pick(KINDS),
      pick(MAKERS),
      1700 + Math.floor(random() * 250),
      materials,
    ]
    cells.push(
      20 + Math.floor(random() * 1500),
      30 + Math.floor(random() * 40000),
      pick(ROOMS),
      pick(STATUS),
      pick(NOTES),
      day,
      random() < 0.3 ? '' : 'Peter Wray',
      '',
    )
    lines += `${cells.map(cell).join(',')}\n`
    if (lines.length > 1 << 18 || n === rows) {
      if (!out.write(lines)) await new Promise((resolve) => out.once('drain', resolve))
      lines = ''
    }
  }
  out.end()
  await finished(out)
}

function cell(value) {
  const text = String(value)
  return /[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text
}

/** A small generator of pseudo-random numbers below 1, the same for the same seed. */
function generator(seed) {
  let state = seed >>> 0
  return () => {
    state = (state + 0x9e3779b9) >>> 0
    let mixed = Math.imul(state ^ (state >>> 16), 0x85ebca6b)
    mixed = Math.imul(mixed ^ (mixed >>> 13), 0xc2b2ae35)
    return ((mixed ^ (mixed >>> 16)) >>> 0) / 2 ** 32
  }
}
