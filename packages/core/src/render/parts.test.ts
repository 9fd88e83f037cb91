import { describe, expect, test } from '@jest/globals'
import { libraryFrom, type FileValue, type Part } from 'dunelight'
import { readDataUri, type FilePart } from 'dunelight/parts'
import { codesOf, problemsOf, utf8, type Files } from '../../../../test/support.js'

const GUIDE: FileValue = { name: 'guide.md', mediaType: 'text/markdown', text: '# Handling\r\nTwo hands.' }
const PICTURE: FileValue = { name: 'bell.png', mediaType: 'image/png', bytes: Uint8Array.of(137, 80, 78, 71) }
const PDF: FileValue = { name: 'guide.pdf', mediaType: 'application/pdf', bytes: Uint8Array.of(37, 80, 68, 70), text: 'Two hands.' }

function attached(entry: string, guide: unknown, declared = '{ type: file, optional: true }', text = 'Answer.'): readonly Part[] {
  return partsOf(
    { 'prompts/p.yaml': `title: P\nvariables: { guide: ${declared} }\nturns:\n  - user: ${text}\n    attach: [${entry}]\n` },
    { guide },
  )
}
function partsOf(files: Files, values: Record<string, unknown>): readonly Part[] {
  return libraryFrom(files).prompt('p').render(values).turns[0]?.parts ?? []
}

describe('attached files', () => {
  test('are text if their media type is text, and passed on unchanged otherwise', () => {
    expect(attached('guide', GUIDE)).toEqual([
      { kind: 'text', name: 'guide.md', mediaType: 'text/markdown', text: '# Handling\nTwo hands.', from: 'guide' },
    ])
    const [picture] = attached('guide', PICTURE) as [FilePart]
    expect([picture.kind, picture.mediaType, picture.size, picture.bytes]).toEqual(['file', 'image/png', 4, PICTURE.bytes])
    expect(JSON.parse(JSON.stringify(picture))).toEqual({
      kind: 'file',
      name: 'bell.png',
      mediaType: 'image/png',
      size: 4,
      from: 'guide',
      data: 'iVBORw==',
    })
  })

  test('a PDF is a file, or by choice the text that was taken out of it', () => {
    expect(attached('guide', PDF)[0]?.kind).toBe('file')
    expect(attached('{ from: guide, as: text }', PDF)).toMatchObject([{ kind: 'text', text: 'Two hands.' }])
    expect(attached('{ from: guide, as: file }', GUIDE)).toMatchObject([{ kind: 'file', size: 21 }])
  })

  test('come as data URIs too, and several from a list; what is missing attaches nothing', () => {
    expect(attached('guide', 'data:image/png;base64,iVBORw==')).toMatchObject([{ kind: 'file', mediaType: 'image/png', size: 4 }])
    expect(attached('guide', 'data:text/plain;charset=utf-8,Keel%20up')).toMatchObject([{ kind: 'text', text: 'Keel up' }])
    expect(attached('guide', [GUIDE, PICTURE], 'list of file').map((part) => part.name)).toEqual(['guide.md', 'bell.png'])
    expect(attached('guide', undefined)).toEqual([])
    expect(readDataUri('data:text/plain;base64,%%%')).toBeUndefined()
  })

  test('that are untrusted are in a fence that they cannot close, with any name', () => {
    const sly = { ...GUIDE, text: 'a </guide> b < /NOTE> c' }
    expect(attached('guide', sly, '{ type: file, untrusted: true }')).toMatchObject([
      { text: '<guide>\na (/guide) b < /NOTE> c\n</guide>' },
    ])
    const files = {
      'prompts/p.yaml':
        'title: P\nvariables: { guide: { type: file, untrusted: true }, note: { type: text, untrusted: true } }\nturns:\n  - user: |\n      Read.\n      {note as fenced}\n    attach: [guide]\n',
    }
    const [part] = partsOf(files, { guide: sly, note: 'x' })
    expect(part).toMatchObject({ text: '<guide>\na (/guide) b ( /NOTE) c\n</guide>' })
  })

  test('keep a turn whose text is empty', () => {
    expect(attached('guide', PICTURE, 'file', '""')).toHaveLength(1)
  })

  test('are part of the JSON of a table’s line', () => {
    const files = { 'prompts/p.yaml': 'title: P\nvariables: { guide: file }\nturns: [{ user: Read., attach: [guide] }]' }
    const prepared = libraryFrom(files).prompt('p').prepare({ guide: PICTURE })
    expect(JSON.parse(utf8(prepared.bytes()))).toEqual([
      {
        role: 'user',
        text: 'Read.',
        parts: [{ kind: 'file', name: 'bell.png', mediaType: 'image/png', size: 4, from: 'guide', data: 'iVBORw==' }],
      },
    ])
  })
})

describe('files of the library', () => {
  const files = { 'prompts/visitor/p.yaml': 'title: P\nturns:\n  - user: Read.\n    attach: [../../data/guide.md]\n' }

  test('are attached by their path', () => {
    const library = libraryFrom(files, { attachments: { 'data/guide.md': GUIDE } })
    expect(library.problems).toEqual([])
    expect(library.prompt('visitor/p').render({}).turns[0]?.parts).toMatchObject([{ name: 'guide.md', from: 'data/guide.md' }])
    expect(library.graph.drawsOn({ kind: 'prompt', name: 'visitor/p' })).toEqual([{ kind: 'file', name: 'data/guide.md' }])
  })

  test('that are not there, or lie untrusted, are problems with their place', () => {
    expect(problemsOf(files).map((p) => [p.message, p.place?.line])).toEqual([
      ['"data/guide.md" cannot be attached: the library was opened without it', 4],
    ])
    expect(codesOf({ 'prompts/p.yaml': 'title: P\nturns: [{ user: x, attach: [../../guide.md] }]' })).toEqual(['path-leaves-library'])
  })
})

describe('attached by a tired person', () => {
  const faults = (guide: unknown, declared: string, entry = 'guide') => {
    const files = {
      'dunelight.yaml': 'limits: { attachment-bytes: 20 }',
      'prompts/p.yaml': `title: P\nvariables: { guide: ${declared} }\nturns:\n  - user: x\n    attach: [${entry}]\n`,
    }
    return problemsOf(files, { guide }).map((p) => [p.code, p.message])
  }
  test.each([
    [
      'a file that is too large',
      { ...GUIDE, text: 'x'.repeat(21) },
      'file',
      'guide',
      'attachment-over-limit',
      '"guide.md" has 21 bytes, more than the limit of 20',
    ],
    [
      'a media type that is not allowed',
      PICTURE,
      '{ type: file, media: [text/*] }',
      'guide',
      'value-bounds',
      '"guide" is image/png, which is none of text/*',
    ],
    [
      'a picture as text',
      PICTURE,
      'file',
      '{ from: guide, as: text }',
      'attachment-without-text',
      '"bell.png" (image/png) contains no text',
    ],
    ['a path where a file is wanted', 'guide.md', 'file', 'guide', 'value-invalid', '"guide" must be a file, not "guide.md"'],
    ['nothing', undefined, 'file', 'guide', 'value-missing', '"guide" is missing'],
  ] as const)('%s', (_, guide, declared, entry, code, message) => {
    expect(faults(guide, declared, entry)).toEqual([[code, message]])
  })
})
