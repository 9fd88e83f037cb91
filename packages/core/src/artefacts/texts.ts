import { problem, type Report } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'
import { parseText, type ParseOptions } from '../text/parse.js'
import type { Text } from '../text/nodes.js'

const DIRECTIVE_BEGINNING = /(?:^|\s)~[ \t]+(?:when|each|use|vary|untouched|end|otherwise|instead|aside)\b/

/** Reads a scalar as a text of the language. A style that joins lines would swallow directive lines: it is reported here, with the fix. */
export function readText(node: YamlNode, report: Report, options: ParseOptions): Text {
  const { source } = node
  const style = source.host?.style
  const raw = source.file.text.slice(node.span.start, node.span.end)
  if ((style === 'folded' || style === 'plain') && raw.includes('\n')) {
    const match = DIRECTIVE_BEGINNING.exec(source.text)
    if (match) report(problem('text-folded', {}, source.span(match.index + match[0].indexOf('~'), match.index + match[0].length)))
  }
  return parseText(source, report, options)
}
