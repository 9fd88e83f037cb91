import { describe, expect, test } from '@jest/globals'
import { libraryFrom, type Form, type ProblemCode } from 'dunelight'
import { problemsOf, type Files } from '../../../../test/support.js'

const using = (output: string, more: Files = {}): Files => ({
  'prompts/p.yaml':
    'title: T\noutput: o\nvariables: { item: { type: record, fields: { title: text } } }\nturns: [{ user: "{item.title}{use output}" }]\n',
  'outputs/o.yaml': output,
  ...more,
})
const rendered = (output: string, title = 'A lamp') => libraryFrom(using(output)).prompt('p').render({ item: { title } })
const instruction = (output: string) => rendered(output).turns[0]!.text.slice('A lamp'.length)

const LABEL = `kind: fields
fields:
  heading: { type: text, max-words: 8, about: no full stop }
  body: { type: text, min-words: 35, max-words: 60 }
  keywords: { type: list of text, min-items: 3, max-items: 6, unique: true }
  century: { type: integer, min: 16, max: 21, optional: true }
  grade: { type: choice, of: [sound, watch] }
  seen: date
  lit: boolean
  parts: { type: list of record, max-items: 3, fields: { name: text, made: { type: integer, min: 1500 } } }
  donor: { type: record, about: as it was given, fields: { name: text } }
`
const ROWS = 'kind: rows\nrow: "<heading> (<year: integer>) -> <maker: as signed>"\ncount: { min: 5, max: 10 }\n'
const LETTER = `kind: document
text: |
  # {item.title}

  <opening: one warm paragraph, at most 50 words>

  ## What we ask of you
  <terms: three bullets>

  Keep the sign \\<b. Yours, Ines Brook
`

describe('an output asks for its form', () => {
  test('fields as a skeleton, a list, a schema, or not at all', () => {
    expect(instruction(LABEL)).toMatchInlineSnapshot(`
     "Answer with JSON and nothing else, in this form:
     {
       "heading": "<text, at most 8 words: no full stop>",
       "body": "<text, 35 to 60 words>",
       "keywords": ["<text; 3 to 6 of them, no duplicates>"],
       "century": <integer, 16 to 21; optional>,
       "grade": "<sound | watch>",
       "seen": "<date, YYYY-MM-DD>",
       "lit": <true or false>,
       "parts": [{ "name": "<text>", "made": <integer, at least 1500> }, "<at most 3 of these>"],
       "donor": { "name": "<text>" } <as it was given>
     }"
    `)
    expect(instruction(`${LABEL}show: description`)).toMatchInlineSnapshot(`
     "Answer with a JSON object and nothing else. Its keys:
     - heading: text, at most 8 words; no full stop
     - body: text, 35 to 60 words
     - keywords: list of text; 3 to 6 of them, no duplicates
     - century (optional): integer, 16 to 21
     - grade: sound | watch
     - seen: date, YYYY-MM-DD
     - lit: true or false
     - parts: list of record; at most 3 of them
       - name: text
       - made: integer, at least 1500
     - donor: record; as it was given
       - name: text"
    `)
    expect(instruction('kind: fields\nshow: json-schema\nfields: { heading: { type: text, max-words: 8 } }')).toMatchInlineSnapshot(`
     "Answer with JSON and nothing else. It fits this JSON Schema:
     {"type":"object","properties":{"heading":{"description":"at most 8 words","type":"string"}},"required":["heading"],"additionalProperties":false}"
    `)
    expect(instruction(`${LABEL}show: none`)).toBe('')
  })

  test('one of a set, rows and a document', () => {
    expect(instruction('kind: one-of\nof: [sound, watch, urgent]')).toMatchInlineSnapshot(
      `"Answer with one of "sound", "watch" or "urgent", and nothing else."`,
    )
    expect(instruction('kind: one-of\nshow: description\nof: [sound, watch]')).toMatchInlineSnapshot(`
     "Answer with one of these labels and nothing else:
     - sound
     - watch"
    `)
    expect(instruction(ROWS)).toMatchInlineSnapshot(`
     "Answer with 5 to 10 lines and nothing else, each in this form:
     <heading> (<year: integer>) -> <maker: as signed>"
    `)
    expect(instruction(`${ROWS}show: description`)).toMatchInlineSnapshot(`
     "Answer with 5 to 10 lines and nothing else, each in this form:
     <heading> (<year>) -> <maker>
     - heading: text
     - year: integer
     - maker: text, as signed"
    `)
    expect(instruction(LETTER)).toMatchInlineSnapshot(`
     "Answer with this document and nothing else. Write what each <…> asks for in its place, and leave every other character as it is:

     # A lamp

     <opening: one warm paragraph, at most 50 words>

     ## What we ask of you
     <terms: three bullets>

     Keep the sign <b. Yours, Ines Brook"
    `)
  })

  test('phrases that must and must not occur', () => {
    expect(instruction('kind: fields\nfields: { a: text }\nmust-say: ["{item.title}"]\nmust-not-say: [unique, iconic]'))
      .toMatchInlineSnapshot(`
     "Answer with JSON and nothing else, in this form:
     {
       "a": "<text>"
     }
     The answer must contain "A lamp". The answer must not contain "unique" or "iconic"."
    `)
    expect(instruction(`${LETTER}must-not-say: [unique]`)).toContain('as it is:\nThe answer must not contain "unique".\n\n# A lamp\n')
  })

  test('with its origin: the output’s own text, and values as values', () => {
    const [turn] = rendered(LETTER).turns
    const of = (text: string) => turn!.origins.find((origin) => turn!.text.slice(origin.start, origin.end).includes(text))
    expect(of('What we ask')).toMatchObject({ kind: 'output', place: { file: 'outputs/o.yaml', line: 7 } })
    expect(of('What we ask')!.within.map((item) => [item.what, item.name])).toEqual([['output', 'o']])
    expect(turn!.origins.filter((origin) => origin.kind === 'value').map((origin) => origin.path)).toEqual(['item.title', 'item.title'])
  })

  test('the same text however often, and bounds from the prompt’s values', () => {
    const files: Files = {
      'prompts/p.yaml': 'title: T\noutput: o\nvariables: { words: { type: integer, default: 40 } }\nturns: [{ user: "{use output}" }]',
      'outputs/o.yaml':
        'kind: fields\nfields: { body: { type: text, min-words: 2, max-words: "{words}" }, tags: { type: list of text, max-items: "{words}", max-length: 9 } }',
    }
    const prompt = libraryFrom(files).prompt('p')
    expect(prompt.render({}).turns[0]!.text).toContain(
      '"body": "<text, 2 to 40 words>",\n  "tags": ["<text, at most 9 characters; at most 40 of them>"]',
    )
    const three = prompt.render({ words: 3 })
    expect(three.read('{"body":"one two three four","tags":[]}').problems.map((p) => p.message)).toEqual([
      '"body" has 4 words, more than 3',
    ])
    expect(() => prompt.read('{}')).toThrow('the output "o" depends on the record: read by the rendering, render(values).read(reply)')
    expect(() => prompt.render({ words: 1 })).toThrow('"min-words: 2" is above "max-words: 1"')
  })
})

describe('an output that a text chooses', () => {
  const library = libraryFrom({
    'prompts/p.yaml': 'title: T\noutput: "{kind}"\nvariables: { kind: text, words: integer }\nturns: [{ user: "{words}: {use output}" }]',
    'outputs/card.yaml': 'kind: fields\nfields: { a: { type: text, max-words: "{words}" } }',
    'outputs/grade.yaml': 'kind: one-of\nof: [sound, watch]',
    'outputs/letter.yaml': 'kind: document\ntext: "To {somebody}: <body>"',
  })
  test('is one of those that the prompt can fill, and asks and reads by it', () => {
    expect(library.problems.filter((p) => p.severity === 'error')).toEqual([])
    const prompt = library.prompt('p')
    const card = prompt.render({ kind: 'card', words: 3 })
    expect(card.turns[0]!.text).toContain('"a": "<text, at most 3 words>"')
    expect(card.read('{"a":"one two three four"}').problems.map((p) => p.code)).toEqual(['reply-field-invalid'])
    expect(prompt.render({ kind: 'grade', words: 3 }).read('watch').value).toEqual({ label: 'watch' })
    expect(() => prompt.render({ kind: 'letter', words: 3 })).toThrow('unknown output "letter"')
    expect(prompt.answerColumns.map((column) => column.name)).toEqual(['a', 'label'])
  })
})

describe('an output describes its form', () => {
  const form = (output: string) => rendered(output).form as Form
  test('as a JSON Schema, and in the strict profile', () => {
    expect(form(LABEL).schema()).toMatchObject({
      $schema: 'https://json-schema.org/draft/2020-12/schema',
      required: ['heading', 'body', 'keywords', 'grade', 'seen', 'lit', 'parts', 'donor'],
      properties: {
        heading: { type: 'string', description: 'no full stop; at most 8 words' },
        century: { type: ['integer', 'null'], minimum: 16 },
        parts: { items: { additionalProperties: false, required: ['name', 'made'] }, maxItems: 3 },
      },
      additionalProperties: false,
    })
    expect(form(LABEL).schema({ strict: true })['required']).toContain('century')
    expect(form('kind: one-of\nof: [sound, watch]').schema()).toMatchObject({
      properties: { label: { type: 'string', enum: ['sound', 'watch'] } },
    })
    expect(form(ROWS).schema()).toMatchObject({
      properties: { rows: { type: 'array', minItems: 5, items: { properties: { year: { type: 'integer' } } } } },
    })
    expect(form(LETTER).schema()['required']).toEqual(['opening', 'terms'])
  })

  test('as the parameters of a function', () => {
    expect(form('kind: one-of\nabout: The grade.\nof: [sound]').call()).toEqual({
      name: 'o',
      description: 'The grade.',
      parameters: {
        title: 'o',
        type: 'object',
        properties: { label: { type: 'string', enum: ['sound'], description: 'The grade.' } },
        required: ['label'],
        additionalProperties: false,
      },
    })
    expect(form(ROWS).call().parameters['required']).toEqual(['rows'])
  })
})

describe('an output based on another', () => {
  const two = (base: string, own: string) => problemsOf(using(own, { 'outputs/base.yaml': base }))
  test('has its fields, its own in their places, and required phrases', () => {
    const base = 'kind: fields\nmust-not-say: [iconic]\nshow: description\nfields: { heading: text, body: { type: text, max-words: 60 } }'
    const own = 'kind: fields\nbased-on: base\nmust-not-say: [unique]\nfields: { body: { type: text, max-words: 30 }, year: integer }'
    const { instruction: text } = libraryFrom(using(own, { 'outputs/base.yaml': base }))
      .prompt('p')
      .form()!
    expect(text).toMatchInlineSnapshot(`
     "Answer with a JSON object and nothing else. Its keys:
     - heading: text
     - body: text, at most 30 words
     - year: integer
     The answer must not contain "iconic" or "unique"."
    `)
  })

  test.each([
    ['kind: one-of\nof: [a]', 'kind: fields\nbased-on: base\nfields: { a: text }', 'it is of the kind one-of'],
    ['kind: fields\nfields: { a: integer }', 'kind: fields\nbased-on: base\nfields: { a: text }', '"a" is an integer there, and text here'],
    [
      'kind: fields\nfields: { a: { type: choice, of: [x] } }',
      'kind: fields\nbased-on: base\nfields: { a: { type: choice, of: [x, y] } }',
      '"a" has no option "y" there',
    ],
    [
      'kind: fields\nfields: { a: { type: text, max-words: 5 } }',
      'kind: fields\nbased-on: base\nfields: { a: { type: text, min-words: 6 } }',
      'no value of "a" satisfies the bounds of both',
    ],
  ])('that it contradicts is a fault: %#', (base, own, why) => {
    expect(two(base, own).map((p) => [p.code, p.message])).toContainEqual([
      'output-contradicts',
      `this contradicts its base "base": ${why}`,
    ])
  })
})

describe('bad definitions are found when the library opens', () => {
  const schema = (text: string): Files => ({
    'prompts/p.yaml': 'title: T\noutput: s\nturns: [{ user: Go. }]',
    'outputs/s.schema.json': text,
  })
  const CASES: readonly (readonly [ProblemCode, string | Files, string])[] = [
    [
      'bounds-contradict',
      'kind: fields\nfields: { a: { type: text, min-words: 5, max-words: 2 } }',
      '"min-words: 5" is above "max-words: 2"',
    ],
    ['bounds-contradict', 'kind: rows\nrow: "<a>"\ncount: { min: 5, max: 2 }', '"min: 5" is above "max: 2"'],
    ['key-invalid', 'kind: fields\nfields: { a: { type: choice, of: [] } }', '"of" must be at least one option, not an empty list'],
    ['key-invalid', 'kind: one-of\nof: []', '"of" must be at least one label, not an empty list'],
    ['key-invalid', 'kind: rows\nrow: "<a>"\ncount: many', '"count" must be a whole number, not "many"'],
    ['key-invalid', 'kind: rows\nrow: "<a>\\n<b>"', '"row" must be one line, not several'],
    ['key-unknown', 'kind: rows\nrow: "<a>"\nfields: { a: text }', 'unknown key "fields" of an output of the kind rows'],
    ['key-unknown', 'kind: fields\nfields: { a: { type: text, untrusted: true } }', 'unknown key "untrusted" of a field'],
    ['type-unknown', 'kind: fields\nfields: { a: file }', 'unknown type "file"'],
    [
      'key-invalid',
      'kind: fields\nshow: skelton\nfields: { a: text }',
      '"show" must be one of skeleton, description, json-schema, none, not "skelton"',
    ],
    ['label-invalid', 'kind: one-of\nof: [sound, Sound]', 'the label "Sound" is defined twice'],
    [
      'labels-missing',
      { ...using('kind: one-of\nof: { field: n, examples: s }'), 'examples/s.yaml': 'title: S\nfields: { n: integer, g: text }' },
      'the field "n" of "s" has no labels',
    ],
    ['passages-touch', 'kind: rows\nrow: "<a><b>"', 'there is no text between the passages "a" and "b"'],
    ['passages-touch', 'kind: document\ntext: "To <title> <name>."', 'there is no text between the passages "title" and "name"'],
    ['passage-duplicate', 'kind: document\ntext: "<a>, then <a>."', 'the passage "a" is defined twice'],
    ['passage-unreadable', 'kind: document\ntext: "Write <two words>."', 'the passage "two" expects ":" or ">"'],
    ['passage-unreadable', 'kind: document\ntext: "Write <opening: short"', 'the passage "opening" expects ">"'],
    [
      'passage-in-each',
      {
        ...using('kind: document\ntext: "{each w in list}<a>, {w}{end}"'),
        'prompts/p.yaml': 'title: T\noutput: o\nvariables: { list: list of text }\nturns: [{ user: Go. }]',
      },
      'the passage "a" is inside "each"',
    ],
    [
      'passage-in-each',
      {
        ...using('kind: document\ntext: "<a>: {each w in list}{w}{otherwise}<b>{end}"'),
        'prompts/p.yaml': 'title: T\noutput: o\nvariables: { list: list of text }\nturns: [{ user: Go. }]',
      },
      'the passage "b" is inside "each"',
    ],
    ['passage-none', 'kind: document\ntext: "Nothing to write."', 'there is no passage'],
    ['bound-invalid', 'kind: fields\nfields: { a: { type: text, max-words: "{item.title}" } }', '"max-words" is text, not a number'],
    [
      'pattern-refused',
      'kind: fields\nfields: { a: { type: text, pattern: "(?=a).*b.*" } }',
      'the pattern (?=a).*b.* cannot be used: it looks ahead or behind',
    ],
    ['name-unknown', 'kind: document\ntext: "{nobody} <a>"', 'unknown variable "nobody"'],
    ['use-cycle', 'kind: document\ntext: "{use output} <a>"', 'cyclic "use": o → o'],
    [
      'schema-invalid',
      schema('{"$schema":"http://json-schema.org/draft-07/schema#","type":"object"}'),
      'its draft is "http://json-schema.org/draft-07/schema#"',
    ],
    [
      'schema-invalid',
      schema('{"type":"object","properties":{"a":{"$ref":"#/$defs/gone"}}}'),
      '#/properties/a: "#/$defs/gone" does not exist',
    ],
    ['schema-invalid', schema('{"type":"object","properties":{"a":{"enum":[]}}}'), '#/properties/a: its enum has no value'],
    [
      'schema-unchecked',
      schema('{"type":"object","properties":{"a":{"type":"string"}},"minProperties":1,"if":{},"oneOf":[{}]}'),
      'the schema of "s" needs a validator',
    ],
  ]
  test.each(CASES)('%s: %#', (code, output, message) => {
    const problems = problemsOf(typeof output === 'string' ? using(output) : output)
    expect(problems.map((p) => p.code)).toContain(code)
    expect(problems.find((p) => p.code === code)).toMatchObject({
      message: expect.stringContaining(message),
      place: { file: expect.stringContaining('outputs/') },
    })
  })

  test('passages of branches that exclude each other may have one name, and values bring none', () => {
    const text = '{when item.title is "A lamp"}<a: one word>{otherwise}<a>{end}: {item.title}'
    expect(problemsOf(using(`kind: document\ntext: '${text}'`))).toEqual([])
    expect(rendered(`kind: document\ntext: "{item.title}: <a>"`, '<b>').form!.read('<b>: light').value).toMatchObject({
      passages: { a: 'light' },
    })
  })
})
