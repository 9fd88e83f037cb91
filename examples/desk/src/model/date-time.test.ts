import { expect, test } from '@jest/globals'
import { withLocalTime } from './date-time.js'

test.each([
  ['2026-04-01T09:00:00+01:00', '2026-04-01T14:05', '2026-04-01T14:05:00+01:00'],
  ['2026-04-01T09:00:00Z', '2026-04-01T14:05:30', '2026-04-01T14:05:30Z'],
  ['2026-04-01T09:00-0330', '2026-04-02T14:05', '2026-04-02T14:05:00-0330'],
  ['', '2026-04-01T14:05', '2026-04-01T14:05:00Z'],
  ['2026-04-01T09:00:00+01:00', '', null],
])('a time typed over %j as %j is %j', (before, typed, after) => {
  expect(withLocalTime(before, typed)).toBe(after)
})
