import { defined } from 'dunelight/host'
import { basicSetup, EditorView } from 'codemirror'
import { useEffect, useRef } from 'react'
import { libraryFile } from '@dunelight/editor'

interface Props {
  readonly file: string
  readonly files: Readonly<Record<string, string>>
  readonly onEdit: (text: string) => void
}

/** A library's file in an editor that knows the language: marked, completed, checked as it is typed. */
export function FileEditor({ file, files, onEdit }: Props) {
  const host = useRef<HTMLDivElement>(null)
  // The editor lives as long as its file is shown; what it asks for later is read through this.
  const latest = useRef({ files, onEdit })
  latest.current = { files, onEdit }
  useEffect(() => {
    const language = libraryFile({ file, files: () => latest.current.files, delay: 200 })
    const report = EditorView.updateListener.of((update) => update.docChanged && latest.current.onEdit(update.state.doc.toString()))
    const view = new EditorView({
      doc: latest.current.files[file] ?? '',
      extensions: [basicSetup, language, report],
      parent: defined(host.current),
    })
    return () => view.destroy()
  }, [file])
  return <div ref={host} className="file-editor" data-file={file} />
}
