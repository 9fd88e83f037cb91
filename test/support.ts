import { libraryFrom, ProblemError, type Library, type Problem, type ProblemCode, type RenderOptions, type Turn } from 'dunelight'

export type Files = Record<string, string>

/** A library of one prompt `p` whose one user turn is `text`; `variables` is YAML in flow style. */
export function onePrompt(text: string, variables = '{}', more: Files = {}): Files {
  return { 'prompts/p.yaml': `title: T\nvariables: ${variables}\nturns:\n  - user: |-\n${indent(text)}\n`, ...more }
}

/** The text of UTF-8 that has one character for each byte. */
export function utf8(bytes: string): string {
  return Buffer.from(bytes, 'latin1').toString('utf8')
}

export function indent(text: string, by = 6): string {
  return text
    .split('\n')
    .map((line) => (line === '' ? '' : ' '.repeat(by) + line))
    .join('\n')
}

/** The user turn's text of prompt `p`, or the codes of what went wrong. */
export function written(files: Files, values: Record<string, unknown> = {}, options: RenderOptions = {}): string {
  try {
    const library = libraryFrom(files)
    return library
      .prompt('p')
      .render(values, options)
      .turns.map((turn: Turn) => turn.text)
      .join('\n=====\n')
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems.map((p) => `!${p.code}`).join(' ')
    throw fault
  }
}

/** Everything that opening and rendering reports, except that fixtures have more than their prompts use. */
export function problemsOf(files: Files, values?: Record<string, unknown>, options: RenderOptions = {}): Problem[] {
  const library: Library = libraryFrom(files)
  const problems = library.problems.filter((p) => p.code !== 'artefact-unused')
  if (values === undefined) return problems
  try {
    return [...problems, ...library.prompt('p').render(values, options).problems]
  } catch (fault) {
    if (fault instanceof ProblemError) return [...problems, ...fault.problems]
    throw fault
  }
}

export function codesOf(files: Files, values?: Record<string, unknown>, options?: RenderOptions): ProblemCode[] {
  return problemsOf(files, values, options).map((p) => p.code)
}
