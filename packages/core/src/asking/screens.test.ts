import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import type { ScreenModel } from '../artefacts/screens.js'
import { Screens } from '../host.js'

const screen = (more: Partial<ScreenModel>): ScreenModel => ({
  name: 's',
  side: 'reply',
  finds: 'words',
  action: 'note',
  words: [],
  limit: 0,
  ...more,
})
const findings = (screenModel: ScreenModel, texts: readonly string[], sent: readonly string[] = []) =>
  new Screens([screenModel]).find('reply', texts, sent)[0]?.message

describe('a screen for personal data', () => {
  const personal = (text: string) => findings(screen({ finds: 'personal-data' }), [text])
  test.each([
    ['Write to ines.brook@post.example.', 'an e-mail address'],
    ['Call +49 30 901820 when it rains.', 'a telephone number'],
    ['Call 0049 (30) 90 18 20.', 'a telephone number'],
    ['Call (01632) 960112 or 0171 1234567.', 'a telephone number'],
    ['DE89 3704 0044 0532 0130 00', 'an account number'],
    ['4111 1111 1111 1111', 'a card number'],
  ])('finds what is one: %s', (text, message) => {
    expect(personal(text)).toBe(message)
  })
  test.each([
    'Seen on 2026-11-23 12:30.',
    'MH-0007 measures 460 mm and weighs 17,800 g.',
    'Made 1890, mended 1904 and 1921, seen on 2026-05-05.',
    'Visits by week: 12 15 22 31 40 52 61.',
    '4111 1111 1111 1112',
    'DE89 3704 0044 0532 0130 02',
    'at home @ the harbour',
  ])('ignores what only looks like it: %s', (text) => {
    expect(personal(text)).toBeUndefined()
  })
})

describe('a screen for words', () => {
  const words = (text: string) => findings(screen({ words: ['priceless', 'hidden gem'] }), [text])
  test('finds them whole, in any case and over a line end, and not within others', () => {
    expect([words('It is PRICELESS.'), words('a hidden\n gem'), words('pricelessness')]).toEqual([
      'the word "priceless"',
      'the word "hidden gem"',
      undefined,
    ])
  })
})

describe('a screen for copied passages', () => {
  const copied = (text: string, sent: string, limit = 5) =>
    findings(screen({ finds: 'copied', limit }), [text], ['A turn that is no use.', sent])

  test('finds a run of equal words, with anything between them', () => {
    expect(copied('They say: three masts, and a RED hull it had.', 'It had three masts and a red hull, they say.')).toBe(
      '5 words copied from the prompt: "three masts and a red"',
    )
    expect(copied('Three masts and a blue hull.', 'It had three masts and a red hull.')).toBeUndefined()
    expect(copied('one two', 'one two', 5)).toBeUndefined()
  })

  test('finds just what a search through all runs finds', () => {
    const text = fc.array(fc.constantFrom('net', 'lamp', 'bell', 'oar'), { maxLength: 14 }).map((words) => words.join(' '))
    const runs = (words: readonly string[], most: number) =>
      words.slice(0, Math.max(0, words.length - most + 1)).map((_, i) => words.slice(i, i + most).join(' '))
    fc.assert(
      fc.property(text, text, fc.integer({ min: 1, max: 5 }), (text, sent, most) => {
        const known = new Set(runs(sent.split(' ').filter(Boolean), most))
        const first = runs(text.split(' ').filter(Boolean), most).find((run) => known.has(run))
        expect(copied(text, sent, most)).toBe(first && `${most} words copied from the prompt: "${first}"`)
      }),
    )
  })
})

test('tokens are counted only where the text could have too many', () => {
  let counted = 0
  const count = (text: string) => {
    counted++
    return text.length
  }
  const screens = new Screens([screen({ side: 'request', finds: 'tokens', limit: 30 })])
  expect([screens.find('request', ['ten marks.'], [], count), counted]).toEqual([[], 0])
  expect(screens.find('request', ['a text of more than thirty marks.'], [], count)[0]?.message).toBe('33 tokens, more than 30')
  expect(screens.find('reply', ['a text of more than thirty marks.'], [], count)).toEqual([])
})
