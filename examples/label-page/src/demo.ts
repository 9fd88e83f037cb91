import Papa from 'papaparse'
import { libraryFrom, type Library } from 'dunelight'
import gradedCsv from '../../../demo/marram-house/data/graded-notes.csv?raw'
import objectsCsv from '../../../demo/marram-house/data/objects.csv?raw'

const ROOT = '../../../demo/marram-house/'
const raw = import.meta.glob<string>(
  ['../../../demo/marram-house/dunelight.yaml', '../../../demo/marram-house/{prompts,snippets,personas,examples,outputs}/**/*.{yaml,md}'],
  { query: '?raw', import: 'default', eager: true },
)

/** The demo library's files, by their paths below its folder. */
export const FILES: Readonly<Record<string, string>> = Object.fromEntries(
  Object.entries(raw).map(([path, text]) => [path.slice(ROOT.length), text]),
)

const [gradedHeadings = [], ...gradedRows] = Papa.parse<string[]>(gradedCsv, { skipEmptyLines: true }).data

/** The library of these files, edited or not. A page counts tokens roughly: the exact tables are larger than all the rest of it. */
export function openFiles(files: Readonly<Record<string, string>>): Library {
  return libraryFrom(files, {
    tables: { 'data/graded-notes.csv': { kind: 'cells', headings: gradedHeadings, rows: gradedRows } },
    countTokens: (text) => Math.ceil(text.length / 4),
  })
}

/** The object register, as a file that a user might have dropped. */
export const REGISTER = new File([objectsCsv], 'objects.csv')
