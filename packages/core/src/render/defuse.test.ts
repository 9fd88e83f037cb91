import { expect, test } from '@jest/globals'
import { checkFences } from './defuse.js'
import { Trace, type TextOrigin } from './trace.js'
import { Source } from '../source/source.js'

const span = new Source('p', 'x').span(0, 1)
const value: TextOrigin = { kind: 'value', span, via: undefined, fromValue: true }
const made: TextOrigin = { kind: 'made', span, via: undefined, fromValue: false }
const tag: TextOrigin = { ...made, tag: true }

/** A turn of pieces, each with what wrote it. */
function turn(...pieces: readonly (readonly [string, TextOrigin])[]): { text: string; trace: Trace } {
  const trace = new Trace()
  let text = ''
  for (const [piece, from] of pieces) trace.add((text += piece).length, from)
  return { text, trace: trace.take() }
}

test.each([
  ['a value holds a tag', turn(['<note>', tag], ['\n', made], ['a </note> b', value], ['\n', made], ['</note>', tag])],
  ['a value stands on the line of a tag', turn(['<note>', tag], ['a', value], ['\n', made], ['</note>', tag])],
  ['a tag was changed', turn(['(note>', tag], ['\n', made], ['a', value])],
])('a turn in which %s is not sent', (_, { text, trace }) => {
  expect(() => checkFences(text, trace, ['note'])).toThrow(/^this is a bug in dunelight: /)
})
