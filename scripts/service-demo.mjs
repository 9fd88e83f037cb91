// A copy of the demo's library with editions in the channel live, and a caller of its service.
import { join } from 'node:path'
import { copyDemo } from './demo-copy.mjs'

/** The prompts that the demo's service has. */
const SERVED = ['label/write', 'survey/grade', 'visitor/answer']

/** Makes it below a folder; returns the library's folder, the environment of its commands, and the token of a caller. */
export function makeServiceDemo(folder) {
  const { house, env, command, commit } = copyDemo(folder)
  commit('Begin the library')
  command('publish', house, ...SERVED, '--note', 'the spring wording', '--channel', 'live')
  const callers = join(folder, 'callers.yaml')
  const rights = ['--prompt', 'all', '--operation', 'render', '--operation', 'ask', '--operation', 'read', '--operation', 'metrics']
  const token = command('caller', 'add', 'front-desk', '--callers', callers, ...rights, '--channel', 'live', '--editions').trim()
  return { house, env, callers, token, command }
}
