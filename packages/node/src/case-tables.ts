import { readFile } from 'node:fs/promises'
import { parse } from 'yaml'
import { ProblemError, type CaseRows } from 'dunelight'
import { readCsv } from './csv.js'
import { reason } from './reason.js'

/** The rows of a table that an example set takes its cases from: CSV, TSV, JSON Lines, JSON or YAML; a text says why they cannot be had. */
export async function readCaseRows(path: string): Promise<CaseRows | string> {
  try {
    switch (/\.(\w+)$/.exec(path)?.[1]?.toLowerCase()) {
      case 'csv':
      case 'tsv':
        return await readCells(path)
      case 'jsonl':
        return { kind: 'records', records: jsonLines(await readFile(path, 'utf8')) }
      case 'json':
      case 'yaml':
        return records(parse(await readFile(path, 'utf8')) as unknown)
      default:
        return 'cases are read from .csv, .tsv, .jsonl, .json and .yaml'
    }
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems.map((p) => (p.code === 'file-unreadable' ? p.data.why : p.message)).join('; ')
    // What a parser says of a text is one line of it.
    return fault instanceof Error && !('code' in fault && fault.code === 'ENOENT') ? fault.message.split('\n')[0]! : reason(fault)
  }
}

async function readCells(path: string): Promise<CaseRows | string> {
  const all: (readonly string[])[] = []
  for await (const { rows } of readCsv(path)) all.push(...rows)
  const [headings, ...rows] = all
  return headings ? { kind: 'cells', headings: headings.map((heading) => heading.trim()), rows } : 'it holds no heading and no rows'
}

function records(data: unknown): CaseRows | string {
  return Array.isArray(data) ? { kind: 'records', records: data } : 'it holds no list of cases'
}

function jsonLines(text: string): unknown[] {
  return text.split(/\r\n|\r|\n/).flatMap((line, i) => {
    if (line.trim() === '') return []
    try {
      return [JSON.parse(line) as unknown]
    } catch (fault) {
      throw new Error(`line ${i + 1} is no JSON (${fault instanceof Error ? fault.message : ''})`, { cause: fault })
    }
  })
}
