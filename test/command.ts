import { spawnSync } from 'node:child_process'

/** The command as a user runs it. */
export const COMMAND = 'packages/cli/bin/dunelight.js'

export interface Ran {
  readonly code: number | null
  readonly out: string
  readonly err: string
}

/** Runs the command as a process of its own, without colour. */
export function dunelight(...args: string[]): Ran {
  return dunelightFed('', ...args)
}

/** The same with something on standard input. */
export function dunelightFed(input: string, ...args: string[]): Ran {
  const { status, stdout, stderr } = spawnSync(process.execPath, [COMMAND, ...args], {
    input,
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1' },
  })
  return { code: status, out: stdout, err: stderr }
}
