import { createReadStream } from 'node:fs'
import { mkdir } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { createInterface } from 'node:readline'
import type { Finish, Usage } from 'dunelight/host'
import type { ProblemRecord, Turn } from 'dunelight'
import { appendTo } from '../output/files.js'

/** A question that was put by hand, and what came of it. */
export interface AskedRecord {
  /** When the answer came. */
  readonly at: string
  readonly prompt: string
  readonly record: string
  readonly model: string
  readonly isMock: boolean
  /** How the wording is called: `as edited`, `persona harbour-child`. */
  readonly wording: string
  /** Which of several answers to the same question, from 1. */
  readonly candidate: number
  /** Whether it was answered before, and nothing was sent. */
  readonly cached: boolean
  /** What was sent, with its masks. */
  readonly turns: readonly Turn[]
  readonly settings: Readonly<Record<string, unknown>>
  /** Undefined where no answer came. */
  readonly text: string | undefined
  readonly problems: readonly ProblemRecord[]
  readonly finish: Finish | undefined
  readonly usage: Usage | undefined
  /** Requests that were sent, corrections among them. */
  readonly requests: number
  readonly seconds: number
  readonly cost: string | undefined
}

/** The questions that were put by hand, below the library's folder: one line of JSON each, never changed. */
const ASKED = join('answers', 'asked.jsonl')

/** Adds to the questions that were put by hand. */
export async function keepAsked(folder: string, asked: AskedRecord): Promise<void> {
  const path = join(folder, ASKED)
  await mkdir(dirname(path), { recursive: true })
  await appendTo(path, `${JSON.stringify(asked)}\n`)
}

/** What was asked by hand for one record, the latest first. A line that a killed process left half written is passed over. */
export async function askedFor(folder: string, prompt: string, record: string, most: number): Promise<readonly AskedRecord[]> {
  const found: AskedRecord[] = []
  const file = createReadStream(join(folder, ASKED))
  try {
    for await (const line of createInterface({ input: file, crlfDelay: Infinity })) {
      // Most lines are of other records: none is parsed that cannot be meant.
      if (!line.includes(JSON.stringify(record))) continue
      const asked = parsed(line)
      if (asked?.prompt !== prompt || asked.record !== record) continue
      found.push(asked)
      if (found.length > most) found.shift()
    }
  } catch (fault) {
    if ((fault as NodeJS.ErrnoException).code !== 'ENOENT') throw fault
  }
  return found.reverse()
}

function parsed(line: string): AskedRecord | undefined {
  try {
    return JSON.parse(line) as AskedRecord
  } catch {
    return undefined
  }
}
