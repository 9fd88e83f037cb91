import { createContext, useContext, useSyncExternalStore } from 'react'
import type { Bench } from '../bench/bench.js'

/** Draws a view again whenever the bench changes. */
export function useBench(bench: Bench): Bench {
  useSyncExternalStore(bench.subscribe, bench.snapshot)
  return bench
}

/** How numbers are written on this page; prompts have a locale of their own. */
export const NumberStyle = createContext('en')

export function useNumber(): (value: number) => string {
  const style = useContext(NumberStyle)
  return (value) => value.toLocaleString(style)
}
