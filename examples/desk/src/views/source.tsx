import { defined } from 'dunelight/host'
import { ActionIcon, Badge, Button, SegmentedControl } from '@mantine/core'
import { basicSetup, EditorView } from 'codemirror'
import { Compartment, StateEffect, StateField } from '@codemirror/state'
import { Decoration, type DecorationSet } from '@codemirror/view'
import { useEffect, useRef, useState } from 'react'
import { libraryFile } from '@dunelight/editor'
import type { Desk } from '../state/desk.js'
import type { FilePlace } from '../state/page-state.js'
import { Chooser, choices } from './chooser.js'
import { FieldsForm, hasForm } from './fields-form.js'
import { useDesk } from './use-desk.js'
import './source.css'

/** The file beside the sheet: every key renders it again; the origin under the mouse is marked here, and the cursor here lights the sheet. */
export function SourceView({ desk, onClose, onInsert }: { desk: Desk; onClose: () => void; onInsert: () => void }) {
  const [isForm, setForm] = useState(false)
  const file = useDesk(desk, (s) => s.editing.file)
  const files = useDesk(desk, (s) => s.library.files)
  const isEdited = useDesk(desk, (s) => file !== undefined && s.library.files[file] !== s.library.data.files[file])
  const paths = Object.keys(files).sort()
  return (
    <section className="source" aria-label="source">
      <div className="source-tools">
        <Chooser label="file" data={choices(paths)} value={file ?? null} onChoose={(next) => desk.editing.open(next)} />
        {file !== undefined && isEdited && (
          <>
            <Badge size="sm" variant="outline" color="gray" tt="none">
              not saved
            </Badge>
            <Button size="compact-xs" variant="subtle" onClick={() => desk.editing.revert(file)}>
              Revert
            </Button>
          </>
        )}
        {file !== undefined && hasForm(file) && (
          <SegmentedControl
            size="xs"
            aria-label="the file as"
            data={['Text', 'Fields']}
            value={isForm ? 'Fields' : 'Text'}
            onChange={(next) => setForm(next === 'Fields')}
          />
        )}
        <Button size="compact-xs" variant="default" disabled={isForm} onClick={onInsert}>
          Insert …
        </Button>
        <ActionIcon size="sm" variant="subtle" color="gray" aria-label="close the source" onClick={onClose}>
          ✕
        </ActionIcon>
      </div>
      {file !== undefined && isForm && hasForm(file) ? (
        <FieldsForm key={file} desk={desk} file={file} />
      ) : (
        file !== undefined && <FileEditor key={file} desk={desk} file={file} />
      )}
    </section>
  )
}

/** A change that is undone by itself, and not with what was typed before it. */
const STEP = 'input.paste'

const setPointed = StateEffect.define<{ from: number; to: number } | undefined>()
const pointedMark = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(marks, transaction) {
    const set = transaction.effects.find((effect) => effect.is(setPointed))
    if (!set) return marks.map(transaction.changes)
    const place = set.value as { from: number; to: number } | undefined
    return place && place.to > place.from
      ? Decoration.set([Decoration.mark({ class: 'pointed' }).range(place.from, place.to)])
      : Decoration.none
  },
  provide: (field) => EditorView.decorations.from(field),
})

function FileEditor({ desk, file }: { desk: Desk; file: string }) {
  const host = useRef<HTMLDivElement>(null)
  const editor = useRef<EditorView>(undefined)
  const goal = useDesk(desk, (s) => s.editing.goal)
  const pointed = useDesk(desk, (s) => s.editing.pointed)
  const insertion = useDesk(desk, (s) => s.editing.insertion)
  const text = useDesk(desk, (s) => s.library.files[file] ?? '')
  useEffect(() => {
    const language = new Compartment()
    const view = new EditorView({
      doc: desk.state.library.files[file] ?? '',
      extensions: [
        basicSetup,
        pointedMark,
        language.of(libraryFile({ file, files: () => desk.state.library.files, read: () => desk.state.shown.library, delay: 60 })),
        EditorView.contentAttributes.of({ 'aria-label': `text of ${file}`, tabindex: '0' }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) desk.editing.write(file, update.state.doc.toString())
          if (update.docChanged || (update.selectionSet && update.view.hasFocus))
            desk.editing.moved({ file, offset: update.state.selection.main.head })
        }),
      ],
      parent: defined(host.current),
    })
    editor.current = view
    return () => {
      desk.editing.moved(undefined)
      view.destroy()
    }
  }, [desk, file])
  useEffect(() => {
    // Taken back, or written by someone else: the editor shows what counts.
    const view = defined(editor.current)
    if (view.state.doc.toString() !== text) view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } })
  }, [text])
  useEffect(() => {
    const view = defined(editor.current)
    if (goal?.file !== file) return
    const [anchor, head] = within(goal, view)
    view.dispatch({ selection: { anchor, head }, effects: EditorView.scrollIntoView(anchor, { y: 'center' }) })
    view.focus()
    desk.editing.moved({ file, offset: anchor })
  }, [desk, file, goal])
  useEffect(() => {
    if (!insertion) return
    const view = defined(editor.current)
    const { main } = view.state.selection
    if (insertion.isLine) {
      const line = view.state.doc.lineAt(main.head)
      let filled = line
      while (filled.text.trim() === '' && filled.number > 1) filled = view.state.doc.line(filled.number - 1)
      const indent = /^\s*/.exec(filled.text)?.[0] ?? ''
      const text = insertion.text
        .split('\n')
        .map((part) => (part === '' ? '' : indent + part))
        .join('\n')
      const isEmpty = line.text.trim() === ''
      view.dispatch({
        changes: isEmpty ? { from: line.from, to: line.to, insert: text } : { from: line.to, insert: `\n${text}` },
        userEvent: STEP,
        selection: { anchor: line.to + (isEmpty ? text.length - line.length : text.length + 1) },
      })
    } else view.dispatch(view.state.replaceSelection(insertion.text), { userEvent: STEP })
    view.focus()
    desk.editing.inserted()
  }, [desk, insertion])
  useEffect(() => {
    const view = defined(editor.current)
    const [from, to] = pointed?.file === file ? within(pointed, view) : [0, 0]
    view.dispatch({ effects: setPointed.of(to > from ? { from, to } : undefined) })
  }, [file, pointed])
  return <div ref={host} className="editor" data-file={file} />
}

function within({ start, end }: FilePlace, view: EditorView): [number, number] {
  const { length } = view.state.doc
  return [Math.min(start, length), Math.min(end, length)]
}
