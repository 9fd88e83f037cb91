import { autocompletion } from '@codemirror/autocomplete'
import { yaml } from '@codemirror/lang-yaml'
import { linter, lintGutter, type Diagnostic } from '@codemirror/lint'
import type { Extension } from '@codemirror/state'
import { EditorView } from '@codemirror/view'
import { libraryFrom, type Library } from 'dunelight'
import { textsIn } from 'dunelight/parts'
import { completionsAt } from './complete.js'
import { diagnosticsOf } from './diagnostics.js'
import { setTexts, tokenMarks, tokenTheme } from './marks.js'

export interface LibraryFileOptions {
  /** The file's path below the library's folder, from which its kind of artefact follows. */
  readonly file: string
  /** The texts of the library's files; the edited one's is taken from the editor. */
  readonly files: () => Readonly<Record<string, string>>
  /** The library with the edited text in it: the caller's, or else one that is read here. */
  readonly read?: (text: string) => Library
  /** Hears the library that each reading makes, with the edited text in it. */
  readonly onLibrary?: (library: Library, text: string) => void
  /** Milliseconds between the last key and the reading. */
  readonly delay?: number
}

/** CodeMirror for a library's file: YAML with the texts of the language in it, completion of names, and problems as squiggles. */
export function libraryFile({ file, files, read: opened, onLibrary, delay = 250 }: LibraryFileOptions): Extension {
  let library: Library | undefined
  const read = (view: EditorView): readonly Diagnostic[] => {
    const text = view.state.doc.toString()
    library = opened?.(text) ?? libraryFrom({ ...files(), [file]: text })
    view.dispatch({ effects: setTexts.of(textsIn(library, file).texts) })
    onLibrary?.(library, text)
    return diagnosticsOf(library.problems, file, text.length)
  }
  return [
    file.endsWith('.yaml') || file.endsWith('.json') ? yaml() : [],
    tokenMarks,
    tokenTheme,
    EditorView.lineWrapping,
    lintGutter(),
    linter(read, { delay }),
    autocompletion({
      override: [
        (context) => {
          const known = library ?? libraryFrom({ ...files(), [file]: context.state.doc.toString() })
          const { snippets, personas } = known.artefacts
          return completionsAt(context, {
            variables: textsIn(known, file).variables,
            snippets: [...snippets.keys()],
            personas: [...personas.keys()],
            ...(file.startsWith('assemblies/') && { prompts: known.promptNames() }),
          })
        },
      ],
    }),
  ]
}
