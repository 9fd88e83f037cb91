import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { endedNow } from './ended-now.js'

test('JSON that breaks off anywhere can be read as far as it has come', () => {
  fc.assert(
    fc.property(
      fc.dictionary(fc.string(), fc.oneof(fc.string({ unit: 'grapheme' }), fc.integer(), fc.array(fc.string()))),
      fc.nat(),
      (data, at) => {
        const text = JSON.stringify(data)
        const cut = text.slice(0, at % (text.length + 1))
        const ended = endedNow(cut)
        // A number or a word such as `tru` may be cut: they are no text, and the next piece makes them whole.
        if (cut !== '' && !/[:,[]-?$/.test(cut)) expect(() => JSON.parse(ended) as unknown).not.toThrow()
      },
    ),
    { numRuns: 400 },
  )
  expect(endedNow('{"heading":"Storm lantern","body":"Of bra')).toBe('{"heading":"Storm lantern","body":"Of bra"}')
  expect(endedNow('{"a":"b","c')).toBe('{"a":"b"}')
  expect(endedNow('A lamp.')).toBe('A lamp.')
})
