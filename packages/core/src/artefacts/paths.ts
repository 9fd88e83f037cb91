/** The path that `path` means when `file` says it, both from the library's folder, with `..` resolved; undefined where it leaves it. */
export function pathInLibrary(file: string, path: string): string | undefined {
  if (/^(?:[A-Za-z]:|[\\/])/.test(path)) return undefined
  const steps = file.split('/').slice(0, -1)
  for (const step of path.split(/[\\/]/)) {
    if (step === '..') {
      if (steps.length === 0) return undefined
      steps.pop()
    } else if (step !== '.' && step !== '') steps.push(step)
  }
  return steps.join('/')
}

export function leavesLibrary(file: string, path: string): boolean {
  return pathInLibrary(file, path) === undefined
}
