import { expect, test } from '@jest/globals'
import { libraryFrom, ProblemError } from 'dunelight'
import { onePrompt } from '../../../../test/support.js'

const all = (text: string, values = {}, variables = '{}') =>
  libraryFrom(onePrompt(text, variables))
    .prompt('p')
    .renderAll(values)
    .map(({ wording, rendering }) => `${wording} ${rendering.turns[0]?.text ?? ''}`)

test('every combination of wordings once, in order', () => {
  expect(all('{vary}a{instead}b{end}{vary}1{instead}2{instead}3{end}')).toEqual([
    '1.1 a1',
    '1.2 a2',
    '1.3 a3',
    '2.1 b1',
    '2.2 b2',
    '2.3 b3',
  ])
})

test('a wording that brings wordings of its own', () => {
  expect(all('{vary}a{instead}b{vary}1{instead}2{end}{end}')).toEqual(['1 a', '2.1 b1', '2.2 b2'])
})

test('the same wording in every round of a loop', () => {
  expect(all('{each x in l}{vary}a{instead}b{end}{end}', { l: ['1', '2'] }, '{ l: list of text }')).toEqual(['1 aa', '2 bb'])
})

test('too many are refused', () => {
  try {
    all('{vary}a{instead}b{end}'.repeat(11))
    throw new Error('nothing was thrown')
  } catch (fault) {
    expect((fault as ProblemError).problems.map((p) => p.code)).toEqual(['wordings-over-limit'])
  }
})
