// A copy of the demo's library with a past: commits, approvers, two editions and two channels. For the pictures.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { copyDemo } from './demo-copy.mjs'

/** Makes it below a folder; returns the library's folder, and the environment that its commands need. */
export function makeProductionDemo(folder) {
  const { house, env, command, commit } = copyDemo(folder, { DUNELIGHT_PASSPHRASE: 'only for the pictures' })
  const change = (path, from, to) => writeFileSync(join(house, path), readFileSync(join(house, path), 'utf8').replace(from, to))
  const keyOf = (name) => join(folder, 'keys', `${name}.pem`)
  mkdirSync(join(folder, 'keys'))
  const people = ['registrar', 'conservator', 'director'].map((name) => {
    const publicKey = command('key', '--to', keyOf(name))
    return `  ${name}: |\n${publicKey.trimEnd().replaceAll(/^/gm, '    ')}\n`
  })
  commit('Begin the library', '2026-10-05')
  change('snippets/house/style.yaml', 'in plain British English', 'in plain, warm British English')
  commit('Warm the house style', '2026-10-19')
  change('snippets/ages/adult.md', 'eleven minutes', 'eleven minutes and wet shoes')
  commit('Say why the reader is there', '2026-11-02')
  writeFileSync(
    join(house, 'approvers.yaml'),
    `people:\n${people.join('')}publishers: [director]\nrules: [{ needs: 1 }, { tags: [print], needs: 2 }]\n`,
  )
  commit('Name the approvers', '2026-11-09')
  const publish = (note, channel) =>
    command('publish', house, 'label/write', '--note', note, '--channel', channel, '--signing-key', keyOf('director'))
  const approve = (number, name) => command('approve', house, `label/write@${number}`, '--signing-key', keyOf(name), '--yes')
  publish('the spring wording', 'live')
  approve(1, 'registrar')
  approve(1, 'conservator')
  change('snippets/house/style.yaml', 'Name the material before the feeling.', 'Name the material first, and the feeling never.')
  commit('Leave feelings out', '2026-11-16')
  publish('no feelings', 'next')
  approve(2, 'registrar')
  change('prompts/label/write.yaml', 'Write the label for', 'Write the card beside')
  return { house, env }
}
