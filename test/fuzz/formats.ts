import { libraryFrom, ProblemError } from 'dunelight'
import { FORMATS } from 'dunelight/parts'
import type { Random } from './random.js'
import { Random as Source } from './random.js'

const TYPES: Readonly<Record<string, (random: Random) => unknown>> = {
  text: (random) =>
    random.from(['', 'a', 'Storm lantern', '  x\ny ', '`', '"', '|', '\u{1F600}', 'İ', '-', '2026-11-23', '12', '\ud800', 'a,b;c']),
  integer: (random) => random.from([0, -1, 7, 1890, 2 ** 53, 10n ** 20n, '99999999999999999999', -0]),
  number: (random) => random.from([0.1, -12.5, 1e21, 1e-7, 5, '0.30000000000000004', 10n ** 20n]),
  boolean: (random) => random.chance(0.5),
  date: (random) => random.from(['2026-11-23', '0001-01-01', '9999-12-31']),
  'date-time': (random) => random.from(['2026-11-23T14:05:00Z', '2026-11-23T14:05:00+01:00']),
  '{ type: choice, of: [a, b] }': (random) => random.from(['a', 'b']),
  record: (random) => random.from<unknown>([{}, { a: 1 }, { a: { b: [1, null] }, c: 'x', d: 5n }, { 'a b': '`|"' }]),
  '{ type: record, fields: { a: text, n: { type: number, optional: true } } }': (random) => ({
    a: 'x|y',
    n: random.from([1, null, undefined]),
  }),
  table: (random) => random.from<unknown>([[], [{ a: 1 }, { b: 'x' }], [{ a: [1, 2] }]]),
  '{ type: table, fields: { a: text, d: date } }': () => [{ a: 'x', d: '2026-11-23' }],
  file: (random) =>
    random.from<unknown>([
      { name: 'a.md', mediaType: 'text/markdown', text: 'x' },
      { name: 'a.png', mediaType: 'image/png', bytes: new Uint8Array([1, 2]) },
      { name: 'a.txt', mediaType: 'text/plain', bytes: new Uint8Array([255]) },
      'data:text/plain,hello',
    ]),
  turns: () => [{ role: 'user', text: 'x' }],
  list: (random) => random.from<unknown>([[], ['a', null, 'b']]),
}
const LISTED = ['text', 'integer', 'number', 'boolean', 'date', 'date-time', 'record', 'file']
const ARGUMENTS = ['', ' 0', ' 2', ' "a"', ' "yes" "no"', ' "EUR"', ' "long"', ' ", "']

/**
 * Writes a value of some type through some formats. A prompt that opens without an error renders, or has a problem of the value: no exception.
 */
export function writeAnything(seed: number): string | undefined {
  const random = new Source(seed)
  const names = Object.keys(TYPES)
  const single = random.from(names)
  const listed = random.chance(0.3)
  const item = random.from(LISTED)
  const type = listed ? `list of ${item}` : single
  const make = () => (listed ? random.times(4, () => TYPES[item]!(random)) : TYPES[single]!(random))
  const chain = Array.from({ length: random.below(3) }, () => ` as ${random.from(FORMATS).name}${random.from(ARGUMENTS)}`).join('')
  const text = random.from([
    `{v${chain}}`,
    `  - {v${chain}}`,
    `{when v${chain.replace(/ as fenced.*/, '')}}x{end}`,
    `~ each x in v${chain}\n      {x}\n      ~ end`,
  ])
  const prompt = `title: P\nvariables: { v: ${type.includes(' ') && !type.startsWith('{') ? `"${type}"` : type} }\nturns:\n  - user: |\n      ${text}\n      End.\n`
  const library = libraryFrom({ 'prompts/p.yaml': prompt })
  if (library.problems.some((p) => p.severity === 'error')) return undefined
  const ready = library.prompt('p')
  for (let i = 0; i < 4; i++) {
    const values = { v: make() }
    for (const way of [() => ready.render(values), () => ready.render(values, { origins: true }), () => ready.prepare(values).bytes()]) {
      try {
        way()
      } catch (fault) {
        if (!(fault instanceof ProblemError)) return `${prompt}\n${fault instanceof Error ? (fault.stack ?? '') : String(fault)}`
        if (fault.problems.some((p) => p.code === 'value-not-formattable') && !/record|table|list$/.test(type))
          return `${prompt}\nopens, and never renders`
      }
    }
  }
  return undefined
}
