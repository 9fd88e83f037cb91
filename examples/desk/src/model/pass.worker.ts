import { countTokens } from 'gpt-tokenizer/encoding/o200k_base'
import { ProblemError, type Turn } from 'dunelight'
import { countedByLines } from 'dunelight/host'
import { ROW, type FaultOfWorker, type FromWorker, type ToWorker } from './pass.js'
import { Opener, Subject } from './subject.js'
import type { DeskTable } from './table.js'

/** Rows that are rendered before other messages are read, at first and later. */
const FIRST_SLICE = 200
const SLICE = 2000
/** Rows whose tokens are counted: enough to show their distribution. */
const COUNTED = 2000

const opener = new Opener()
let table: DeskTable | undefined
let joined: ReadonlyMap<string, DeskTable> = new Map()
/** What the rows were rendered to by the saved files, and by which. */
let base = { key: '', hashes: new Uint32Array(0), filled: 0 }
let latest = 0

const count = countedByLines((text) => countTokens(text, { disallowedSpecial: new Set() }))
opener.countTokens = count

self.addEventListener('message', ({ data }: MessageEvent<ToWorker>) => {
  if (data.kind === 'table') {
    ;[table, joined] = [data.table, data.joined]
    base = { key: '', hashes: new Uint32Array(0), filled: 0 }
  } else look(data).catch((fault: unknown) => self.postMessage({ id: data.id, fault: String(fault) } satisfies FaultOfWorker))
})

async function look({ id, saved, files, beside, wanted }: ToWorker & { kind: 'look' }): Promise<void> {
  latest = id
  if (!table) return
  const key = JSON.stringify([wanted, saved])
  if (base.key !== key || base.hashes.length !== table.rows.length) base = { key, hashes: new Uint32Array(table.rows.length), filled: 0 }
  const own = base
  const now = new Subject(opener.open(files, beside), wanted, table, joined)
  const before = own.filled < table.rows.length ? new Subject(opener.open(saved, beside), wanted, table, joined) : undefined
  const stride = Math.max(1, Math.floor(table.rows.length / COUNTED))
  for (let from = 0, size = FIRST_SLICE; from < table.rows.length || from === 0; from += size, size = SLICE) {
    const to = Math.min(table.rows.length, from + size)
    const part: FromWorker = {
      id,
      from,
      states: new Uint8Array(to - from),
      changed: new Uint8Array(to - from),
      tokens: new Uint32Array(to - from),
      done: to >= table.rows.length,
    }
    for (let index = from; index < to; index++) {
      const [state, turns] = rowOf(now, index)
      const hash = hashOf(state, turns)
      if (before && index >= own.filled) own.hashes[index] = hashOf(...rowOf(before, index))
      part.states[index - from] = state
      part.changed[index - from] = hash === own.hashes[index] ? 0 : 1
      if (turns && index % stride === 0) part.tokens[index - from] = turns.reduce((sum, { text }) => sum + count(text), 0)
    }
    own.filled = Math.max(own.filled, to)
    self.postMessage(part)
    if (part.done) break
    await breath()
    if (latest !== id) return
  }
}

function rowOf(subject: Subject, position: number): [number, readonly Turn[] | undefined] {
  if (subject.lacking(position).length > 0) return [ROW.unknown, undefined]
  const record = subject.record(position)
  if (!record) return [ROW.out, undefined]
  if (!record.prepared) return [ROW.rejected, undefined]
  try {
    return [ROW.fits, record.prepared.turns(subject.options(record))]
  } catch (fault) {
    if (fault instanceof ProblemError) return [ROW.rejected, undefined]
    throw fault
  }
}

/** Enough to tell one rendering from another (FNV-1a); never 0 for what was rendered. */
function hashOf(state: number, turns: readonly Turn[] | undefined): number {
  let hash = 0x811c9dc5 ^ state
  for (const { role, text } of turns ?? []) {
    hash = Math.imul(hash ^ role.length, 0x01000193)
    for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193)
  }
  return hash >>> 0
}

function breath(): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, 0))
}
