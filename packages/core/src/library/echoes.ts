import { WHAT_IN } from '../artefacts/read.js'
import type { Problem } from '../problems/problem.js'

/** The folders of artefacts that others name, by the words of a message. */
const FOLDER_OF: ReadonlyMap<string, string> = new Map(Object.entries(WHAT_IN).map(([folder, what]) => [what, folder]))

/** What only says that something is not used: it may be used where an error stands. */
const UNUSED: ReadonlySet<string> = new Set(['variable-unused', 'only-mentioned'])
/** What follows from a set, a persona or an output that is not there. */
const OF_WHAT_IS_USED: ReadonlySet<string> = new Set(['pick-without-record', 'use-nothing'])

/** The problems without those that follow from another: one cause is one problem. */
export function withoutEchoes(problems: readonly Problem[]): Problem[] {
  const errors = problems.filter((p) => p.severity === 'error')
  if (errors.length === 0) return [...problems]
  const faulty = new Set(errors.flatMap((p) => p.place?.file ?? []))
  const misnamed = new Set(errors.flatMap((p) => (p.code === 'use-unknown' || p.code === 'key-unknown' ? (p.place?.file ?? []) : [])))
  const unread = new Set(
    errors.flatMap((p) => (isOfWholeFile(p) ? (nameOfFile(p.code === 'file-unreadable' ? p.data.file : p.place?.file) ?? []) : [])),
  )
  const hasFaultyOutput = [...faulty].some((file) => file.startsWith('outputs/'))
  return problems.filter((p) => {
    const file = p.place?.file ?? ''
    if (p.code === 'artefact-unused') return false
    if (UNUSED.has(p.code)) return !faulty.has(file)
    if (p.code === 'case-unreadable') return !errors.some((other) => other.code !== p.code && other.place?.file === file)
    if (p.code === 'field-unknown' && p.data.of === 'answer') return !hasFaultyOutput
    if (OF_WHAT_IS_USED.has(p.code)) return !misnamed.has(file)
    if (p.code === 'use-unknown') return !unread.has(`${FOLDER_OF.get(p.data.what) ?? ''}/${p.data.name}`)
    return true
  })
}

/** Whether nothing of a file could be read. */
function isOfWholeFile(p: Problem): boolean {
  return p.code === 'yaml-invalid' || p.code === 'file-unreadable' || p.code === 'not-text'
}

/** `snippets/style` of `snippets/style.yaml`. */
function nameOfFile(file: string | undefined): string | undefined {
  return file?.replace(/\.(?:yaml|yml|md|txt|schema\.json)$/, '')
}
