export interface ServiceDemo {
  readonly house: string
  readonly env: NodeJS.ProcessEnv
  readonly callers: string
  readonly token: string
  /** Runs a command of dunelight; returns what it writes to standard output. */
  readonly command: (...words: string[]) => string
}
export function makeServiceDemo(folder: string): ServiceDemo
