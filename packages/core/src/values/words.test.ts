import { expect, test } from '@jest/globals'
import { standInARow, wordsIn } from './words.js'

test.each([
  '',
  'Rim CRACKED, twice.',
  "it's 12.5 % — «Möwe», ÉTÉ",
  '𝔘nicode 𐐀𐐨x 🦆 duck \ud800 lone',
  'İstanbul ΣΑΣ',
  'e\u0301 combining',
  '１２ full-width',
])('cuts %j as the pattern for letters and digits does', (text) => {
  expect(wordsIn(text)).toEqual(text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [])
})

test('cuts random texts as the pattern does', () => {
  let seed = 11
  const next = (most: number) => (seed = (Math.imul(seed, 1103515245) + 12345) >>> 9) % most
  const signs = Array.from('abZ09_-. \n\t’ßéøλ中あ٣🦆𝟘\u0301\ud83d\udc00')
  for (let round = 0; round < 2000; round++) {
    const text = Array.from({ length: next(40) }, () => signs[next(signs.length)]!).join('')
    expect(wordsIn(text)).toEqual(text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [])
  }
})

test('words are in order if the words of a text contain them one after the other', () => {
  let seed = 5
  const next = (most: number) => (seed = (Math.imul(seed, 1103515245) + 12345) >>> 9) % most
  const signs = Array.from('ab  ,-\n’é中🦆𝟘')
  let number = 0
  for (let round = 0; round < 5000; round++) {
    const text = Array.from({ length: 5 + next(60) }, () => signs[next(signs.length)]!).join('')
    const all = wordsIn(text)
    const from = next(Math.max(1, all.length))
    const words = next(2) === 0 ? all.slice(from, from + 1 + next(4)) : wordsIn(['a', 'b', 'ab', 'aé'].slice(next(3)).join(' '))
    if (words.length === 0) continue
    const expected = ` ${all.join(' ')} `.includes(` ${words.join(' ')} `)
    expect([text, words, standInARow(words, text.toLowerCase())]).toEqual([text, words, expected])
    if (expected) number++
  }
  expect(number).toBeGreaterThan(1000)
})
