import type { SnippetModel } from './artefacts.js'
import { ArtefactReader, type Reading } from './reading.js'
import { readDeclarations } from './variables.js'
import { problem, type Report } from '../problems/problem.js'
import { Source } from '../source/source.js'
import { parseText } from '../text/parse.js'

export const SNIPPET_KEYS = { title: 'text', about: 'text', variables: 'map', text: 'text' } as const
const TAKEN = ['persona', 'examples', 'output']

/** snippets/*.yaml */
export function readSnippet(reading: Reading): SnippetModel {
  const reader = new ArtefactReader(reading, 'a snippet', SNIPPET_KEYS)
  checkName(reading.name, reading.root.span, reading.report)
  const variables = reader.keys.get('variables')
  const node = reader.keys.required('text')
  return {
    kind: 'snippet',
    ...reader.artefact,
    variables: variables ? readDeclarations(variables, 'variable', reader.report) : [],
    text: node ? reader.text(node) : { source: new Source(reading.file.name, ''), items: [] },
  }
}

/** snippets/*.md and *.txt: the whole file is the text, without variables. */
export function readPlainSnippet(name: string, file: Source, report: Report): SnippetModel {
  const span = file.span(0, 0)
  checkName(name, span, report)
  return { kind: 'snippet', name, file, span, content: { text: file.text }, variables: [], text: parseText(file, report) }
}

function checkName(name: string, span: SnippetModel['span'], report: Report): void {
  if (TAKEN.includes(name)) report(problem('name-taken', { name }, span))
}
