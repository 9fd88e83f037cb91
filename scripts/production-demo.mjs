// A copy of the demo's library with a past: commits, approvers, two editions and two channels. For the pictures.
import { execFileSync, spawnSync } from 'node:child_process'
import { cpSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'

const COMMAND = join(process.cwd(), 'packages/cli/bin/dunelight.js')

/** Makes it below a folder; returns the library's folder, and the environment that its commands need. */
export function makeProductionDemo(folder) {
  const house = join(folder, 'marram-house')
  cpSync('demo/marram-house', house, { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  const env = { ...process.env, DUNELIGHT_STATE: join(folder, 'state'), DUNELIGHT_PASSPHRASE: 'only for the pictures' }
  const command = (...words) => {
    const { status, stdout, stderr } = spawnSync(process.execPath, [COMMAND, ...words], { env, encoding: 'utf8' })
    if (status !== 0) throw new Error(`dunelight ${words.join(' ')}\n${stderr}`)
    return stdout
  }
  const git = (...words) =>
    execFileSync('git', ['-c', 'user.name=Hesper Dace', '-c', 'user.email=hesper@sandmouth.example', ...words], { cwd: house, env })
  const change = (path, from, to) => writeFileSync(join(house, path), readFileSync(join(house, path), 'utf8').replace(from, to))
  const commit = (day, subject) => {
    git('add', '-A')
    const date = `${day}T10:00:00Z`
    execFileSync('git', ['-c', 'user.name=Hesper Dace', '-c', 'user.email=hesper@sandmouth.example', 'commit', '-qm', subject], {
      cwd: house,
      env: { ...env, GIT_AUTHOR_DATE: date, GIT_COMMITTER_DATE: date },
    })
  }
  const keyOf = (name) => join(folder, 'keys', `${name}.pem`)
  mkdirSync(join(folder, 'keys'))
  const people = ['registrar', 'conservator', 'director'].map((name) => {
    const publicKey = command('key', '--to', keyOf(name))
    return `  ${name}: |\n${publicKey.trimEnd().replaceAll(/^/gm, '    ')}\n`
  })
  git('init', '-q', '-b', 'main')
  git('config', 'user.name', 'Hesper Dace')
  commit('2026-10-05', 'Begin the library')
  change('snippets/house/style.yaml', 'in plain British English', 'in plain, warm British English')
  commit('2026-10-19', 'Warm the house style')
  change('snippets/ages/adult.md', 'eleven minutes', 'eleven minutes and wet shoes')
  commit('2026-11-02', 'Say why the reader is there')
  writeFileSync(
    join(house, 'approvers.yaml'),
    `people:\n${people.join('')}publishers: [director]\nrules: [{ needs: 1 }, { tags: [print], needs: 2 }]\n`,
  )
  commit('2026-11-09', 'Name the approvers')
  const publish = (note, channel) =>
    command('publish', house, 'label/write', '--note', note, '--channel', channel, '--signing-key', keyOf('director'))
  const approve = (number, name) => command('approve', house, `label/write@${number}`, '--signing-key', keyOf(name), '--yes')
  publish('the spring wording', 'live')
  approve(1, 'registrar')
  approve(1, 'conservator')
  change('snippets/house/style.yaml', 'Name the material before the feeling.', 'Name the material first, and the feeling never.')
  commit('2026-11-16', 'Leave feelings out')
  publish('no feelings', 'next')
  approve(2, 'registrar')
  change('prompts/label/write.yaml', 'Write the label for', 'Write the card beside')
  return { house, env }
}
