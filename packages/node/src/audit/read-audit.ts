import { createReadStream } from 'node:fs'
import { readdir } from 'node:fs/promises'
import { join } from 'node:path'
import { createInterface } from 'node:readline'
import { AUDIT, readAuditLine, type AuditLine } from './audit-line.js'
import { daysOf } from './writer.js'

/** Which lines of an audit are wanted. */
export interface AuditFilter {
  readonly prompt?: string
  readonly caller?: string
  /** A time: `2026-11-29`, or with hours and minutes. */
  readonly since?: string
}

/** A line, and where it stands. */
export interface PlacedLine {
  readonly file: string
  /** From 1. */
  readonly number: number
  readonly writer: string
  readonly text: string
  /** Undefined for a text that is no line. */
  readonly line: AuditLine | undefined
}

const FILE = /^(.+)\.jsonl$/

/** The writers of an audit, by name, each with its files from the oldest day on. */
export async function writersOf(root: string): Promise<ReadonlyMap<string, readonly string[]>> {
  const writers = new Map<string, string[]>()
  for (const day of await daysOf(root)) {
    for (const name of (await readdir(join(root, AUDIT, day))).sort()) {
      const writer = FILE.exec(name)?.[1]
      if (writer !== undefined) writers.set(writer, [...(writers.get(writer) ?? []), `${AUDIT}/${day}/${name}`])
    }
  }
  return writers
}

/** The lines of one file, in their order; a file of any size is read line by line. */
export async function* linesOf(root: string, file: string, writer: string): AsyncGenerator<PlacedLine> {
  let number = 0
  const input = createReadStream(join(root, file))
  for await (const text of createInterface({ input, crlfDelay: Infinity })) {
    number++
    yield { file, number, writer, text, line: readAuditLine(text) }
  }
}

/**
 * The lines of a library's audit that a filter lets through: day by day, writer by writer.
 *
 * @param folder - The library's folder.
 * @param filter - Whose lines, about what, since when.
 * @returns The lines, one after the other.
 * @example
 * const prompts = []
 * for await (const { line } of auditLines('demo/marram-house')) prompts.push(line?.prompt)
 * prompts // => []
 */
export async function* auditLines(folder: string, { prompt, caller, since }: AuditFilter = {}): AsyncGenerator<PlacedLine> {
  const files = [...(await writersOf(folder))].flatMap(([writer, paths]) => paths.map((file) => ({ writer, file })))
  const byDay = files.sort((a, b) => (a.file < b.file ? -1 : 1))
  for (const { writer, file } of byDay) {
    for await (const placed of linesOf(folder, file, writer)) {
      const { line } = placed
      if (prompt !== undefined && line?.prompt !== prompt) continue
      if (caller !== undefined && line?.caller !== caller) continue
      if (since !== undefined && (line === undefined || line.time < since)) continue
      yield placed
    }
  }
}
