// A copy of the demo's library with editions in the channel live, and a caller of its service.
import { execFileSync, spawnSync } from 'node:child_process'
import { cpSync } from 'node:fs'
import { join } from 'node:path'

export const COMMAND = join(process.cwd(), 'packages/cli/bin/dunelight.js')
/** The prompts that the demo's service has. */
export const SERVED = ['label/write', 'survey/grade', 'visitor/answer']

/** Makes it below a folder; returns the library's folder, the environment of its commands, and the token of a caller. */
export function makeServiceDemo(folder) {
  const house = join(folder, 'marram-house')
  cpSync('demo/marram-house', house, { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  const env = { ...process.env, DUNELIGHT_STATE: join(folder, 'state') }
  const command = (...words) => {
    const { status, stdout, stderr } = spawnSync(process.execPath, [COMMAND, ...words], { env, encoding: 'utf8' })
    if (status !== 0) throw new Error(`dunelight ${words.join(' ')}\n${stderr}`)
    return stdout
  }
  const git = (...words) =>
    execFileSync('git', ['-c', 'user.name=Hesper Dace', '-c', 'user.email=hesper@sandmouth.example', ...words], { cwd: house, env })
  git('init', '-q', '-b', 'main')
  git('config', 'user.name', 'Hesper Dace')
  git('add', '-A')
  git('commit', '-qm', 'Begin the library')
  command('publish', house, ...SERVED, '--note', 'the spring wording', '--channel', 'live')
  const callers = join(folder, 'callers.yaml')
  const rights = ['--prompt', 'all', '--operation', 'render', '--operation', 'ask', '--operation', 'read', '--operation', 'metrics']
  const token = command('caller', 'add', 'front-desk', '--callers', callers, ...rights, '--channel', 'live', '--editions').trim()
  return { house, env, callers, token, command }
}
