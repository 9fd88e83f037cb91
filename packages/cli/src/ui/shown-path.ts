import { relative } from 'node:path'

/** A path as a person would type it here. */
export function shownPath(path: string): string {
  const near = relative(process.cwd(), path)
  return near === '' || near.startsWith('../..') ? path : near
}
