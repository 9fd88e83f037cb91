import { createContext, useContext } from 'react'
import { useStore } from 'zustand'
import type { Desk } from '../state/desk.js'
import type { PageState } from '../state/page-state.js'

/** A part of the page's state: the view is drawn again when that part is another, and only then. */
export function useDesk<Part>(desk: Desk, select: (state: PageState) => Part): Part {
  return useStore(desk.store, select)
}

/** How numbers are written on this page; prompts have a locale of their own. */
export const NumberStyle = createContext('en')

export function useNumber(): (value: number) => string {
  const style = useContext(NumberStyle)
  return (value) => value.toLocaleString(style)
}
