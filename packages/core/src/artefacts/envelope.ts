import type { EnvelopeModel, Role, Shape } from './artefacts.js'
import { Keys } from './keys.js'
import { ArtefactReader, type Reading } from './reading.js'
import type { YamlNode } from '../source/yaml.js'

export const ENVELOPE_KEYS = { title: 'text', about: 'text', line: 'any', turn: 'any', roles: 'map' } as const
export const ROLE_KEYS = { system: 'text', user: 'text', assistant: 'text' } as const
const ROLES: readonly Role[] = ['system', 'user', 'assistant']

/** envelopes/*.yaml: the form that a record's line has. */
export function readEnvelope(reading: Reading): EnvelopeModel {
  const reader = new ArtefactReader(reading, 'an envelope', ENVELOPE_KEYS)
  const { keys } = reader
  const line = keys.required('line')
  const roles = keys.get('roles')
  const named = roles && new Keys(roles, 'roles', ROLE_KEYS, reader.report)
  const shape = (node: YamlNode): Shape => {
    switch (node.kind) {
      case 'map':
        return { kind: 'keys', entries: node.entries().map(({ key, value }) => [key, shape(value)] as const) }
      case 'list':
        return { kind: 'list', items: node.items().map(shape) }
      default:
        return typeof node.scalar === 'string' ? { kind: 'text', text: reader.text(node) } : { kind: 'data', data: node.scalar ?? null }
    }
  }
  const turn = keys.get('turn')
  return {
    kind: 'envelope',
    ...reader.artefact,
    title: keys.text('title'),
    about: keys.text('about'),
    line: line && shape(line),
    turn: turn && shape(turn),
    roles: Object.fromEntries(ROLES.map((role) => [role, named?.text(role) ?? role])) as Record<Role, string>,
  }
}
