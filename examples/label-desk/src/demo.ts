import Papa from 'papaparse'
import { libraryFrom, type Library, type Problem, type Prompt } from 'dunelight'
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

const [headings = [], ...rows] = Papa.parse<string[]>(objectsCsv, { skipEmptyLines: true }).data
const titleColumn = headings.indexOf('Title')

/** One row of the object register, as the list shows it and as the prompt takes it. */
export interface DeskObject {
  readonly id: string
  readonly title: string
  readonly values: Readonly<Record<string, unknown>> | undefined
  readonly problems: readonly Problem[]
}

/** All objects, read for a prompt: those that do not fit keep what is wrong with them. */
export function readObjects(prompt: Prompt): DeskObject[] {
  const reader = prompt.reader(headings)
  return rows.map((cells, i) => {
    const { prepared, problems } = reader.read(cells, i + 1)
    return { id: reader.id(cells, i + 1), title: cells[titleColumn] ?? '', values: prepared?.values, problems }
  })
}
