import type { RunFile } from '../runs/run-file.js'

/** The file of a run that renders. */
export interface RenderRun extends RunFile {
  readonly envelope: { readonly name: string; readonly fingerprint: string } | undefined
  readonly workers: number
  /** Whether its lines have only the record and its turns. */
  readonly bare: boolean
}
