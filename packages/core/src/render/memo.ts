import { defined } from '../invariant.js'
import type { Run } from './run.js'
import type { Locale } from '../values/locale.js'

/** What was written, and what decided it. */
interface Kept {
  readonly values: readonly unknown[]
  readonly locale: Locale
  readonly persona: string
  readonly output: string
  readonly text: string
  readonly repeats: number
}

/**
 * The text that a turn had in the rendering before. A table's records share what does not come from the row, the system turn most of all:
 * where nothing that the turn draws on has changed, it is not written again.
 */
export class TurnMemo {
  private readonly cached: { text?: Kept | undefined; json?: Kept | undefined } = {}

  /** `variables`: all that the turn draws on, by index. */
  constructor(readonly variables: readonly number[]) {}

  /** The text, if nothing has changed since it was written. */
  take(run: Run): string | undefined {
    const { variables } = this
    const kept = this.cached[formOf(run)]
    if (kept?.locale !== run.locale || kept.persona !== run.persona || kept.output !== run.output) return undefined
    for (let i = 0; i < variables.length; i++) if (run.values[defined(variables[i])] !== kept.values[i]) return undefined
    run.repeats += kept.repeats
    return kept.text
  }

  /** Keeps the last text written. A text with a character that could begin a fence's tag is checked again in each rendering. */
  keep(run: Run, text: string, repeats: number): void {
    const { locale, persona, output, suspect } = run
    this.cached[formOf(run)] = suspect
      ? undefined
      : { values: this.variables.map((position) => run.values[position]), locale, persona, output, text, repeats }
  }
}

/** The same turn as text, and as it stands in JSON. */
function formOf({ json }: Run): 'text' | 'json' {
  return json ? 'json' : 'text'
}
