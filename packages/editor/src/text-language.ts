import { autocompletion } from '@codemirror/autocomplete'
import { linter } from '@codemirror/lint'
import type { Extension } from '@codemirror/state'
import type { EditorView } from '@codemirror/view'
import type { Problem } from 'dunelight'
import { parseText, Source } from 'dunelight/parts'
import { completionsAt, type Known } from './complete.js'
import { diagnosticsOf } from './diagnostics.js'
import { setTexts, tokenMarks, tokenTheme } from './marks.js'

export interface TextOptions {
  /** The names that the text may use, asked for each time they are offered. */
  readonly known: () => Known
  readonly delay?: number
}

/** CodeMirror for one text of the language by itself: what can be read of it without a library is marked and checked. */
export function textLanguage({ known, delay = 250 }: TextOptions): Extension {
  const read = (view: EditorView) => {
    const source = new Source('text', view.state.doc.toString())
    const problems: Problem[] = []
    const text = parseText(source, (p) => problems.push(p))
    view.dispatch({ effects: setTexts.of([text]) })
    return diagnosticsOf(problems, 'text', source.text.length)
  }
  return [tokenMarks, tokenTheme, linter(read, { delay }), autocompletion({ override: [(context) => completionsAt(context, known())] })]
}
