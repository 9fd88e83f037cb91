import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import MarkdownIt from 'markdown-it'
import { libraryFrom, type Assembly } from 'dunelight'
import { plainMarkdown } from './markdown.js'

const parser = new MarkdownIt({ html: true, linkify: false, typographer: false, breaks: true })
const shape = (text: string) => parser.parse(text, {}).map(({ type, tag, map }) => `${type} ${tag} ${map?.join('-') ?? ''}`)
const textOf = (text: string) =>
  parser
    .parse(text, {})
    .flatMap(({ children }) => children ?? [])
    .map(({ type, content }) => (type === 'softbreak' || type === 'hardbreak' ? ' ' : content))
    .join('')
const inline = (text: string) =>
  parser
    .parse(text, {})
    .flatMap(({ children }) => children ?? [])
    .map(({ type }) => type)
    .filter((type) => type !== 'text' && type !== 'softbreak')

/** Texts of the characters that Markdown gives a meaning to. */
const hostile = fc
  .array(
    fc.constantFrom(
      '#',
      '*',
      '_',
      '`',
      '[',
      ']',
      '(',
      ')',
      '<b>',
      '>',
      '- ',
      '+',
      '1. ',
      '|',
      '~~',
      '\\',
      '&amp;',
      '!',
      '=',
      '\n',
      '\n\n',
      '    ',
      'a',
      'Z',
      '9',
      'http://x.example',
      ' ',
    ),
    {
      maxLength: 12,
    },
  )
  .map((parts) => `x${parts.join('')}`)

describe('a value in a document', () => {
  test('makes no block and no markup, wherever it stands', () => {
    const place = ['{v}', 'Here: {v}, and more.', '- {v}', '# {v}', '> {v} |', '1. {v} {v}', 'a{v}b']
    fc.assert(
      fc.property(hostile, fc.constantFrom(...place), (value, template) => {
        const written = template.replaceAll('{v}', () => plainMarkdown(value))
        const harmless = template.replaceAll('{v}', 'word')
        expect(shape(written)).toEqual(shape(harmless))
        expect(inline(written).filter((type) => type !== 'text_special')).toEqual([])
      }),
      { numRuns: 2000 },
    )
  })

  test('is read back as it was, but for its line breaks', () => {
    fc.assert(
      fc.property(hostile, (value) => {
        expect(textOf(plainMarkdown(value)).replace(/\s+/g, ' ').trim()).toBe(value.replace(/\s+/g, ' ').trim())
      }),
      { numRuns: 1000 },
    )
  })

  test.each([
    ['plain words, 1.5 m (about 5 ft) — MH-0007', 'plain words, 1.5 m (about 5 ft) — MH-0007'],
    ['snake_case stays', 'snake_case stays'],
    ['1. April', '1\\. April'],
    ['- a dash', '\\- a dash'],
  ])('%s is written %s', (value, written) => expect(plainMarkdown(value)).toBe(written))
})

test('an answer is markup where it has lines of its own, and text within a line', () => {
  const assembly: Assembly = libraryFrom({
    'prompts/p.yaml': 'title: P\nturns: [{ user: Go. }]',
    'assemblies/a.yaml': 'title: A\nvariables: { v: text }\nparts: { p: { prompt: p } }\ntext: |\n  # {p} of {v}\n\n  {p}\n  - {p}\n',
  }).assembly('a')
  expect(assembly.document({ v: '*bold*' }, { p: '**strong**\n\n- one' }).text).toBe(
    '# \\*\\*strong\\*\\* - one of \\*bold\\*\n\n**strong**\n\n- one\n- \\*\\*strong\\*\\*   \\- one',
  )
})
