import { Decoration, EditorView, type DecorationSet } from '@codemirror/view'
import { StateEffect, StateField, type Extension, type Range, type Text as Doc } from '@codemirror/state'
import { tokensOf, type Text, type TokenKind } from 'dunelight/parts'

/** Texts were parsed again: their spans replace the earlier ones. */
export const setTexts = StateEffect.define<readonly Text[]>()

const KINDS: readonly TokenKind[] = ['brace', 'directive', 'variable', 'format', 'string', 'number', 'snippet', 'escape', 'aside', 'unread']
const MARKS = new Map(KINDS.map((kind) => [kind, Decoration.mark({ class: `dl-${kind}` })]))

/** The spans of the language, from the tree that also renders: nothing is guessed a second time. */
export const tokenMarks: Extension = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(marks, transaction) {
    const moved = marks.map(transaction.changes)
    const set = transaction.effects.find((effect) => effect.is(setTexts))
    return set ? marksOf(set.value, transaction.state.doc) : moved
  },
  provide: (field) => EditorView.decorations.from(field),
})

function marksOf(texts: readonly Text[], doc: Doc): DecorationSet {
  const ranges: Range<Decoration>[] = []
  for (const text of texts) {
    for (const { kind, span } of tokensOf(text)) {
      const from = span.source.fileOffset(span.start)
      const to = span.source.fileOffset(span.end - 1) + 1
      const mark = MARKS.get(kind)
      // A token over several lines of a block scalar is marked line by line: the indentation between is YAML's.
      for (let position = from; mark && position < to && position < doc.length;) {
        const line = doc.lineAt(position)
        const start = position === from ? position : line.from + (/^\s*/.exec(line.text)?.[0].length ?? 0)
        const end = Math.min(to, line.to)
        if (end > start) ranges.push(mark.range(start, end))
        position = line.to + 1
      }
    }
  }
  return Decoration.set(ranges, true)
}

/** Colours for light paper; a page may style the classes differently. */
export const tokenTheme = EditorView.baseTheme({
  '.dl-brace': { color: '#0b6e4f', fontWeight: '600' },
  '.dl-variable': { color: '#0b6e4f' },
  '.dl-directive': { color: '#8a3ffc', fontWeight: '600' },
  '.dl-snippet': { color: '#2f4ba0', textDecoration: 'underline dotted' },
  '.dl-format': { color: '#9a5b00' },
  '.dl-string, .dl-number': { color: '#a2341f' },
  '.dl-escape': { color: '#7a7a7a' },
  '.dl-aside': { color: '#7a7a7a', fontStyle: 'italic' },
  '.dl-unread': { backgroundColor: '#fbe3df' },
})
