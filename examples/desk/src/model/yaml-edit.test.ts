import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { parse } from 'yaml'
import { withKey } from './yaml-edit.js'

const PROMPT = `title: T # the title
# Above the variables.
variables:
  who: text # short
  item: { type: record, fields: { made: integer } } # flow
  note:
    type: text
    # inside
    about: >
      long
      words
turns:
  - user: "{who}"
`

test('changes one key, and not a character of the rest', () => {
  const set = (path: string[], key: string, value: unknown) => withKey(PROMPT, { path, key, value, short: 'type' })
  expect(set(['variables', 'who'], 'about', 'who reads, and why')).toBe(
    PROMPT.replace('who: text #', 'who: { type: text, about: "who reads, and why" } #'),
  )
  expect(set(['variables', 'item'], 'optional', true)).toBe(PROMPT.replace('integer } } #', 'integer }, optional: true } #'))
  expect(set(['variables', 'item'], 'fields', undefined)).toBe(PROMPT.replace(', fields: { made: integer } }', ' }'))
  expect(set(['variables', 'note'], 'type', 'integer')).toBe(PROMPT.replace('type: text\n    #', 'type: integer\n    #'))
  expect(set(['variables', 'note'], 'default', '7: b')).toBe(PROMPT.replace('      words\n', '      words\n    default: "7: b"\n'))
  expect(set(['variables'], 'who', undefined)).toBe(PROMPT.replace('  who: text # short\n', ''))
  expect(set(['variables'], 'day', 'date')).toBe(PROMPT.replace('words\nturns', 'words\n  day: date\nturns'))
  expect(withKey('title: T\n', { path: ['variables'], key: 'who', value: 'text' })).toBe('title: T\nvariables: { who: text }\n')
  expect(withKey('a: [', { path: [], key: 'b', value: 1 })).toBe('a: [')
})

test('reads as was meant, whatever the value and the writing', () => {
  const value = fc.oneof(fc.string({ unit: 'grapheme' }), fc.integer(), fc.boolean(), fc.array(fc.string(), { maxLength: 3 }))
  const key = fc.constantFrom('a', 'b', 'c', 'type')
  const texts = [
    'm: { a: 1, b: "x, y" }\nz: 1\n',
    'm:\n  a: 1 # one\n  b:\n    - x\n  c: |\n    bar\nz: 1\n',
    'm: text # short\nz: 1\n',
    'z: 1\n',
  ]
  fc.assert(
    fc.property(
      fc.constantFrom(...texts),
      fc.array(fc.tuple(key, fc.option(value, { nil: undefined })), { maxLength: 5 }),
      (start, changes) => {
        let text = start
        const expected = parse(start) as Record<string, unknown>
        for (const [name, change] of changes) {
          text = withKey(text, { path: ['m'], key: name, value: change, short: 'type' })
          const map = typeof expected['m'] === 'string' ? { type: expected['m'] } : ((expected['m'] as object | undefined) ?? {})
          if (change !== undefined) expected['m'] = { ...map, [name]: change }
          else if (typeof expected['m'] === 'object' && expected['m'] !== null) {
            const { [name]: _, ...rest } = map as Record<string, unknown>
            expected['m'] = rest
          }
          // A block without any key reads as nothing.
          const read = parse(text) as Record<string, unknown>
          if (read['m'] === null && Object.keys(expected['m'] as object).length === 0) return
          expect(read).toEqual(expected)
        }
      },
    ),
    { numRuns: 600 },
  )
})
