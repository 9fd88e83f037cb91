import { defined } from 'dunelight/host'
import { posix } from 'node:path'
import { fileName } from '../output/file-names.js'

/** A step of a path is no longer than this in any file system in use. */
const LONGEST_STEP = 255

/** The path below `base` that a record's file has; undefined where it would leave it, or cannot be the name of a file. */
export function safePath(path: string, base: string): string | undefined {
  const below = posix.relative(base, path)
  if (below === '' || posix.isAbsolute(path)) return undefined
  const steps = below.split('/')
  for (const step of steps) {
    // eslint-disable-next-line no-control-regex -- such names cannot be typed
    if (step === '' || step === '..' || step === '.' || /[\u0000-\u001f]/.test(step)) return undefined
    if (Buffer.byteLength(step) > LONGEST_STEP || /^\.[^.]*$/.test(step)) return undefined
  }
  return steps.map(fileName).join('/')
}

/** The folder that the paths of all records have in common: `out/{item.number}.md` is in `out`. */
export function commonFolder(pattern: string): string {
  const fixed = defined(pattern.split('{')[0])
  return posix.dirname(`${fixed}x`)
}
