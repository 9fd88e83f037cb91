// A copy of the demo's library in a Git repository of its own, and its commands.
import { execFileSync, spawnSync } from 'node:child_process'
import { cpSync } from 'node:fs'
import { join } from 'node:path'

export const COMMAND = join(process.cwd(), 'packages/cli/bin/dunelight.js')
const WHO = ['-c', 'user.name=Hesper Dace', '-c', 'user.email=hesper@sandmouth.example']

/** Makes it below a folder; `more` is added to the environment of its commands. */
export function copyDemo(folder, more = {}) {
  const house = join(folder, 'marram-house')
  cpSync('demo/marram-house', house, { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  const env = { ...process.env, DUNELIGHT_STATE: join(folder, 'state'), ...more }
  const command = (...words) => {
    const { status, stdout, stderr } = spawnSync(process.execPath, [COMMAND, ...words], { env, encoding: 'utf8' })
    if (status !== 0) throw new Error(`dunelight ${words.join(' ')}\n${stderr}`)
    return stdout
  }
  const git = (...words) => execFileSync('git', [...WHO, ...words], { cwd: house, env })
  /** Commits everything; on a day, if one is named. */
  const commit = (subject, day) => {
    git('add', '-A')
    const date = day && `${day}T10:00:00Z`
    const dates = date && { GIT_AUTHOR_DATE: date, GIT_COMMITTER_DATE: date }
    execFileSync('git', [...WHO, 'commit', '-qm', subject], { cwd: house, env: { ...env, ...dates } })
  }
  git('init', '-q', '-b', 'main')
  git('config', 'user.name', 'Hesper Dace')
  return { house, env, command, commit }
}
