import { defined, FOLDERS, OTHER_FOLDERS } from 'dunelight/host'

const LIBRARY_FILE = /\.(?:yaml|json|md|txt)$/

/** A file of the folders that a library has, or one of its two own files. */
export function isLibraryFile(path: string): boolean {
  const steps = path.split('/')
  if (steps.some((step) => step === '' || step === '..' || step.startsWith('.')) || path.includes('\\') || !LIBRARY_FILE.test(path))
    return false
  if (steps.length === 1) return path === 'dunelight.yaml' || path === 'models.yaml'
  return FOLDERS.includes(defined(steps[0])) && !OTHER_FOLDERS.includes(defined(steps[0]))
}
