import Papa from 'papaparse'
import type { Problem, Prompt } from 'dunelight'
import objectsCsv from '../../../demo/marram-house/data/objects.csv?raw'

const ROOT = '../../../demo/marram-house/'
const raw = import.meta.glob<string>(
  ['../../../demo/marram-house/dunelight.yaml', '../../../demo/marram-house/{prompts,snippets,personas}/**/*.{yaml,md}'],
  { query: '?raw', import: 'default', eager: true },
)

/** The demo library's files, by their paths below its folder. */
export const FILES: Readonly<Record<string, string>> = Object.fromEntries(
  Object.entries(raw).map(([path, text]) => [path.slice(ROOT.length), text]),
)

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
