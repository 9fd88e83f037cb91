import { expect, test } from '@jest/globals'
import { Names } from './names.js'

/** Which of the names are repeated, by a set and by `Names`. */
function bothWays(all: Iterable<string>): [said: number[], expected: number[]] {
  const names = new Names()
  const set = new Set<string>()
  const [stated, expected]: [number[], number[]] = [[], []]
  let i = 0
  for (const name of all) {
    if (names.add(name)) stated.push(i)
    if (set.has(name)) expected.push(i)
    set.add(name)
    i++
  }
  return [stated, expected]
}

const random = (seed: number) => () => (seed = (Math.imul(seed, 1103515245) + 12345) >>> 0) / 2 ** 32

test.each<[string, readonly string[]]>([
  ['numbers with and without noughts before them are names of their own', ['7', '07', '007', '7', '07']],
  ['a number that is longer than a series reaches', ['123456789012', '223456789012', '123456789012', '123456789013']],
  ['a stem that is a digit longer', ['A9', 'A99', 'A9', 'A999', '9', 'A99']],
  ['names without a number', ['ewer', 'Ewer', 'ewer', '', 'ewer ', '']],
  ['names that change their stem', ['MH-0001', 'KH-0001', 'MH-0001', 'MH-0002', 'KH-0002', 'KH-0001']],
  ['the last number of a page and the first of the next', ['8191', '8192', '8191', '8192', '8190']],
])('%s', (_, all) => {
  const [stated, expected] = bothWays(all)
  expect(stated).toEqual(expected)
})

test('distinguishes names however far apart their numbers are', () => {
  const next = random(7)
  const shapes = [
    () => `MH-${String(Math.floor(next() * 30_000)).padStart(5, '0')}`,
    () => String(Math.floor(next() * 2_000_000_000)),
    () => `${'abcdefghijklmnop'[Math.floor(next() * 16)]!}${Math.floor(next() * 1000)}-${Math.floor(next() * 1000)}`,
    () => `room ${'xyz'.repeat(Math.floor(next() * 3))}`,
  ]
  const [stated, expected] = bothWays(Array.from({ length: 60_000 }, (_, i) => shapes[i % 4]!()))
  expect(expected.length).toBeGreaterThan(10_000)
  expect(stated).toEqual(expected)
})

test('a million numbered names take next to no room', () => {
  const before = process.memoryUsage().arrayBuffers
  const names = new Names()
  let twice = 0
  for (let i = 0; i < 1_000_000; i++) if (names.add(`MH-${i}`)) twice++
  expect(twice).toBe(0)
  expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(2_000_000)
  expect(names.add('MH-999999')).toBe(true)
})
