import { EditorView } from '@codemirror/view'
import { useEffect, useRef } from 'react'

/**
 * Gives the focus back when a dialog is closed. An editor gets it by its own call, which keeps its cursor: the browser would put it at the
 * beginning of the text until the editor notices.
 *
 * @param open Whether the dialog is open.
 * @returns A function that gives the focus back; it is also called when the dialog goes away.
 */
export function useFocusBack(open: boolean): () => void {
  const before = useRef<Element>(null)
  useEffect(() => {
    if (!open) return undefined
    before.current = document.activeElement
    return () => {
      if (document.activeElement === document.body) focusOn(before.current)
    }
  }, [open])
  return () => focusOn(before.current)
}

function focusOn(element: Element | null): void {
  if (!(element instanceof HTMLElement)) return
  const editor = EditorView.findFromDOM(element)
  if (editor) editor.focus()
  else element.focus()
}
