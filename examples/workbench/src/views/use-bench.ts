import { createContext, useContext } from 'react'
import { useStore } from 'zustand'
import type { Bench } from '../state/bench.js'
import type { PageState } from '../state/page-state.js'

/** A part of the page's state: the view is drawn again when that part is another, and only then. */
export function useBench<Part>(bench: Bench, select: (state: PageState) => Part): Part {
  return useStore(bench.store, select)
}

/** How numbers are written on this page; prompts have a locale of their own. */
export const NumberStyle = createContext('en')

export function useNumber(): (value: number) => string {
  const style = useContext(NumberStyle)
  return (value) => value.toLocaleString(style)
}
