import type { Format } from './format.js'

export const count: Format = {
  name: 'count',
  about: 'the number of items',
  takes: 'lists and tables',
  parameters: [],
  gives: (type) => (type.kind === 'list' || type.kind === 'table' ? { kind: 'integer' } : undefined),
  write: (list) => (list as unknown[]).length,
}
