import { describe, expect, test } from '@jest/globals'
import { libraryFrom, type Form, type Reply } from 'dunelight'
import { validator } from 'dunelight/json-schema'

const formOf = (output: string, more: Record<string, string> = {}): Form =>
  libraryFrom({ 'prompts/p.yaml': 'title: T\noutput: o\nturns: [{ user: Go. }]', 'outputs/o.yaml': output, ...more })
    .prompt('p')
    .form()!

const summary = ({ value, problems, repairs }: Reply) => ({
  value,
  ...(problems.length > 0 && {
    problems: problems.map((p) => `${p.code}${p.place ? ` ${p.place.line}:${p.place.column}` : ''}: ${p.message}`),
  }),
  ...(repairs.length > 0 && { repaired: repairs.map((p) => p.message) }),
})

describe('fields are read from what models write', () => {
  const label = formOf(`kind: fields
fields:
  heading: { type: text, max-words: 8 }
  year: { type: integer, min: 1500, max: 2030 }
  grade: { type: choice, of: [sound, watch] }
  tags: { type: list of text, min-items: 1, unique: true }
  seen: { type: date, optional: true }
  donor: { type: record, optional: true, fields: { name: text, alive: boolean } }
`)
  const LAMP = { heading: 'The lamp', year: 1890, grade: 'watch', tags: ['brass'] }
  const json = '{"heading":"The lamp","year":1890,"grade":"watch","tags":["brass"]}'

  test('as they were asked for', () => {
    expect(label.read(json)).toEqual({ value: LAMP, partial: LAMP, problems: [], repairs: [] })
    expect(label.read(`\r\n ${json}\n`).repairs).toEqual([])
    expect(label.read(`${json} `.replace('}', ',}')).repairs).toMatchObject([
      { code: 'reply-repaired', severity: 'info', data: { repair: 'json' } },
    ])
  })

  test.each<[string, string, readonly string[], object?]>([
    ['in prose', `Here you are:\n${json}\nAnything else?`, ['there is text around the object']],
    ['in a fence', `\`\`\`json\n${json}\n\`\`\``, ['the object is in a code fence']],
    ['a comma too many', json.replace('}', ',}').replace(']', ',]'), ['there is a comma before a closing bracket']],
    ['a comma missing', json.replace(',"grade"', '\n"grade"'), ['a comma is missing']],
    ['single quotes', json.replaceAll('"', "'"), ['a text has quotes other than "']],
    ['typographic quotes', json.replace('"The lamp"', '“The lamp”'), ['a text has quotes other than "']],
    ['comments', json.replace(',', ', // eight words\n/* so far */ '), ['the JSON has a comment']],
    ['bare keys', json.replace('"year"', 'year'), ['a key has no quotes']],
    [
      'quotes within',
      json.replace('The lamp', 'The "Marram" lamp'),
      ['there is an unescaped quote in a text'],
      { heading: 'The "Marram" lamp' },
    ],
    ['a line end within', json.replace('The lamp', 'The\nlamp'), ['there is a line break in a text'], { heading: 'The\nlamp' }],
    ['words of another language', json.replace('}', ',"seen":None}'), ['"None" is not a JSON literal'], { seen: null }],
    ['only the brackets cut off', json.slice(0, -1), ['its closing brackets are missing']],
    [
      'several that say the same',
      `${json}\n${json}`,
      ['there is text around the object', 'the reply has 2 objects; the last valid one is used'],
    ],
    [
      'a draft, then a better one',
      `{"heading":"x"}\n\n${json}`,
      ['there is text around the object', 'the reply has 2 objects; the last valid one is used'],
    ],
    ['in a list of one', `[${json}]`, ['the object is wrapped in another one']],
    ['in another object', `{"answer":${json}}`, ['the object is wrapped in another one']],
    ['a key twice', json.replace('{', '{"year":1700,'), ['the key "year" occurs twice; the last one is used']],
    ['numbers as text', json.replace('1890', '"1,890"'), ['"year" is "1,890", read as an integer']],
    ['a number as text', json.replace('"The lamp"', '7'), ['"heading" is 7, read as text'], { heading: '7' }],
    ['a label in another case', json.replace('"watch"', '"Watch."'), ['"grade" is "Watch.", read as "watch"']],
    [
      'a list as a text',
      json.replace('["brass"]', '"brass; glass"'),
      ['"tags" is "brass; glass", read as a list of 2'],
      { tags: ['brass', 'glass'] },
    ],
    [
      'a date in words',
      json.replace('}', ',"seen":"3rd of March 1893"}'),
      ['"seen" is "3rd of March 1893", read as 1893-03-03'],
      { seen: '1893-03-03' },
    ],
    ['keys in another writing', json.replace('"heading"', '"Heading"'), ['the key "Heading" is read as "heading"']],
    [
      'more than was asked for',
      json.replace('}', ',"mood":"calm","__proto__":{"polluted":1}}'),
      ['"mood" was not requested and is ignored', '"__proto__" was not requested and is ignored'],
    ],
    [
      'nothing where it may be',
      json.replace('}', ',"seen":"unknown","donor":{"name":"Ada","alive":"no"}}'),
      ['"seen" is "unknown", read as missing', '"donor.alive" is "no", read as a boolean'],
      { seen: null, donor: { name: 'Ada', alive: false } },
    ],
  ])('%s', (_, reply, repaired, other = {}) => {
    const expected = { ...LAMP, ...other }
    expect(summary(label.read(reply))).toEqual({ value: expected, repaired })
    const strict = label.read(reply, { strict: true })
    expect([strict.value, strict.problems.map((p) => p.code)]).toEqual([undefined, repaired.map(() => 'reply-not-exact')])
    expect(({} as Record<string, unknown>)['polluted']).toBeUndefined()
  })

  test.each<[string, string, readonly string[]]>([
    ['nothing', ' \n', ['reply-empty: the reply is empty']],
    ['no object', 'I cannot help with that.', ['reply-without-json: the reply contains no valid JSON object']],
    [
      'one that cannot be read',
      'a set {1 2} of',
      ['reply-without-json: the reply contains no valid JSON object: the closest match is not valid JSON'],
    ],
    ['a field missing, its key misspelt', json.replace('"year"', '"yaer"'), ['reply-field-missing 1:1: "year" is missing']],
    ['a wrong type', json.replace('1890', '"old"'), ['reply-field-invalid 1:30: "year" must be an integer, not "old"']],
    ['out of bounds', json.replace('1890', '2090'), ['reply-field-invalid 1:30: "year" is above 2030: 2090']],
    ['a wrong label', json.replace('"watch"', '"ruined"'), ['reply-field-invalid 1:43: "grade" must be one of sound, watch, not "ruined"']],
    ['too many words', json.replace('The lamp', 'a b c d e f g h i'), ['reply-field-invalid 1:12: "heading" has 9 words, more than 8']],
    ['one twice', json.replace('["brass"]', '["a","a"]'), ['reply-field-invalid 1:58: "tags" contains "a" twice']],
    [
      'cut off within a text',
      json.slice(0, 20),
      [
        'reply-cut-off 1:21: the reply is cut off inside "heading"',
        'reply-field-missing 1:1: "heading" is missing',
        'reply-field-missing 1:1: "year" is missing',
        'reply-field-missing 1:1: "grade" is missing',
        'reply-field-missing 1:1: "tags" is missing',
      ],
    ],
    [
      'cut off behind a comma',
      json.slice(0, json.indexOf('"tags"')),
      ['reply-cut-off 1:51: the reply is cut off', 'reply-field-missing 1:1: "tags" is missing'],
    ],
  ])('%s is refused', (_, reply, problems) => {
    expect(summary(label.read(reply)).problems).toEqual(problems)
    expect(label.read(reply).value).toBeUndefined()
  })

  test('what is complete of a reply that broke off is kept, and a misspelt key is pointed at', () => {
    expect(label.read(`${json.slice(0, -2)},"glass","bra`).partial).toMatchObject({ heading: 'The lamp', year: 1890, grade: 'watch' })
    expect(label.read(json.replace('"year"', '"yaer"')).problems[0]!.hint).toBe('it has "yaer"')
  })

  test('hostile replies cost bounded time', () => {
    const start = performance.now()
    const deep = '['.repeat(1_000_000)
    for (const reply of [
      deep,
      '{"a":'.repeat(500_000),
      '{'.repeat(2_000_000),
      '"'.repeat(2_000_000),
      '{"a":"'.repeat(300_000),
      '[/*,'.repeat(500_000),
      `{"heading":"${'\\'.repeat(1_999_999)}`,
      '{a '.repeat(600_000),
      `{${' '.repeat(3_000_000)}`,
    ])
      expect(label.read(reply).value).toBeUndefined()
    expect(label.read('x'.repeat(50_000_000)).problems.map((p) => [p.code, p.message])).toEqual([
      ['reply-over-limit', 'the reply has 50000000 characters, more than the limit of 4194304'],
    ])
    expect(performance.now() - start).toBeLessThan(60_000)
    const pattern = formOf('kind: fields\nfields: { a: { type: text, pattern: "(a+)+b" } }')
    expect(pattern.read(`{"a":"${'a'.repeat(5000)}"}`).problems.map((p) => p.code)).toEqual(['reply-field-invalid'])
    expect(pattern.read('{"a":"aaab"}').value).toEqual({ a: 'aaab' })
  })
})

describe('an output that is a JSON Schema', () => {
  const files = (schema: object) => ({
    'prompts/p.yaml': 'title: T\noutput: card\nturns: [{ user: "{use output}" }]',
    'outputs/card.schema.json': JSON.stringify(schema),
  })
  const schema = {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    type: 'object',
    properties: {
      size: { $ref: '#/$defs/size' },
      code: { type: 'string', pattern: '^(x+x+)+y$' },
      parts: { type: 'array', items: { $ref: '#/$defs/part' } },
    },
    required: ['size'],
    $defs: {
      size: { type: 'integer', minimum: 1 },
      part: { type: 'object', properties: { name: { type: 'string' } }, required: ['name'], minProperties: 1 },
    },
  }
  test('is checked by it, repaired by its fields, and shown as it is', () => {
    const form = libraryFrom(files(schema), { validator }).prompt('p').form()!
    expect(form.read('{"size":3,"more":true}').value).toEqual({ size: 3, more: true })
    expect(summary(form.read("{'size':'3'}"))).toEqual({
      value: { size: 3 },
      repaired: ['a text has quotes other than "', '"size" is "3", read as an integer'],
    })
    expect(summary(form.read('{"size":0,"parts":[{"name":"a"},{}]}')).problems).toEqual([
      'reply-field-invalid 1:9: "size" is below 1: 0',
      'reply-field-missing 1:33: "parts.2.name" is missing',
    ])
    expect(summary(form.read(`{"size":1,"code":"${'x'.repeat(2000)}"}`)).problems![0]).toContain('"code"')
    expect(form.instruction).toContain('{"type":"object","properties":{"size":{"$ref"')
    expect(form.schema()).toEqual(schema)
  })
  test('reports what only a validator finds', () => {
    const form = libraryFrom(
      files({ type: 'object', properties: { a: { type: 'integer' } }, minProperties: 2, not: { required: ['b'] } }),
      { validator },
    )
      .prompt('p')
      .form()!
    expect(summary(form.read('{"a":1}')).problems).toEqual(['reply-schema-invalid 1:1: the reply must NOT have fewer than 2 properties'])
  })
  test('needs no validator if fields express the whole schema', () => {
    const form = libraryFrom(files({ type: 'object', properties: { a: { type: 'integer', maximum: 3 } }, required: ['a'] }))
      .prompt('p')
      .form()!
    expect(summary(form.read('{"a":4}')).problems).toEqual(['reply-field-invalid 1:6: "a" is above 3: 4'])
  })
})

describe('one label', () => {
  const grade = formOf('kind: one-of\nof: [sound, watch, on loan]')
  test.each([
    ['watch', 'watch', 0],
    [' watch\n', 'watch', 0],
    ['Watch.', 'watch', 1],
    ['**watch**', 'watch', 1],
    ['Grade: watch', 'watch', 1],
    ['**Grade:** On loan', 'on loan', 1],
    ['"watch"', 'watch', 1],
    ['{"grade": "watch"}', 'watch', 1],
    ['```\nwatch\n```', 'watch', 1],
    ['The crack has not moved since spring.\n\nGrade: watch', 'watch', 1],
    ['Sound.\n\nNothing has changed.', 'sound', 1],
    ['This should be graded watch.', 'watch', 1],
  ])('%j is %s', (reply, label, count) => {
    const { value, repairs } = grade.read(reply)
    expect([value, repairs.length]).toEqual([{ label }, count])
  })
  test.each([
    ['ruined', 'reply-label-unknown'],
    ['Either sound or watch.', 'reply-labels-several'],
    ['It is not sound.', 'reply-labels-several'],
    ['sound\n\nwatch', 'reply-labels-several'],
    ['unsound', 'reply-label-unknown'],
  ])('%j is none', (reply, code) => {
    expect(grade.read(reply).problems.map((p) => p.code)).toEqual([code])
  })
})

describe('labels with meanings and ranks', () => {
  const of =
    '{ urgent: { about: the crack grows, over: treat }, treat: { about: needs a repair, over: [watch] }, watch: , sound: no change }'
  const grade = formOf(`kind: one-of\nof: ${of}`)
  test('go into the instruction and the schema, of a choice field too', () => {
    expect(grade.instruction.split('\n').slice(1)).toEqual([
      '- urgent: the crack grows; chosen over treat if both fit',
      '- treat: needs a repair; chosen over watch if both fit',
      '- watch',
      '- sound: no change',
    ])
    const words =
      'urgent: the crack grows; chosen over treat if both fit. treat: needs a repair; chosen over watch if both fit. sound: no change'
    expect(grade.schema()).toMatchObject({ properties: { label: { enum: ['urgent', 'treat', 'watch', 'sound'], description: words } } })
    const field = formOf(`kind: fields\nfields: { grade: { type: choice, about: The grade, of: ${of} } }`)
    expect(field.instruction).toContain(`The grade; ${words}`)
    expect(field.schema()).toMatchObject({ properties: { grade: { description: `The grade; ${words}` } } })
  })
  test.each([
    ['treat', 'treat', []],
    ['It is urgent, and it needs to be treat.', 'urgent', ['"urgent" and "treat" are read as "urgent", which ranks highest']],
    ['Watch, but rather urgent', undefined, []],
    ['watch and urgent', 'urgent', ['"urgent" and "watch" are read as "urgent", which ranks highest']],
    ['sound and urgent', undefined, []],
  ])('%s', (reply, value, repairs) => {
    const read = grade.read(reply)
    expect([read.value, read.repairs.map((repair) => repair.message)]).toEqual([value && { label: value }, repairs])
  })
  test('are one field of an answer, by the name that the output gives it', () => {
    const named = formOf('kind: one-of\nfield: grade\nof: [sound, watch]')
    const answer = { grade: 'watch' }
    expect([named.read('{"grade":"watch"}').value, named.columns(answer), named.write(answer)]).toEqual([answer, answer, 'watch'])
    expect(Object.keys(named.schema()['properties'] as object)).toEqual(['grade'])
  })
  test('with a rank that leads nowhere or back are reported', () => {
    const problems = (labels: string) =>
      libraryFrom({ 'outputs/o.yaml': `kind: one-of\nof: ${labels}` }).problems.map((p) => [
        p.code,
        'expected' in p.data && p.data.expected,
      ])
    expect(problems('{ a: { over: b }, b: { over: a } }')).toEqual([['key-invalid', 'a label that does not rank over "b"']])
    expect(problems('{ a: { over: c }, b: }')).toEqual([['key-invalid', 'another label (a, b)']])
    expect(problems('{ a: { ovr: b }, b: }').map(([code]) => code)).toEqual(['key-unknown'])
    expect(problems('{ a: { about: 3 } }')).toEqual([])
  })
})

describe('citations and the words of the whole', () => {
  const fields =
    'kind: fields\nfields: { body: text, notes: list of text, references: list of text }\ncites: references\nmax-words: 12\nnot-counting: [references]'
  const text =
    'kind: document\ntext: "# Story\\n<story>\\n\\n## Sources\\n<sources: three lines>"\ncites: sources\nmin-words: 4\nnot-counting: sources'
  const references = ['Register of the house', 'Letter of the donor', 'A survey of the shore']
  test.each([
    [{ body: 'Brass [1], as the letter says [2].', notes: ['Seen on the shore [3]'], references }, []],
    [{ body: 'Brass [1–3].', notes: [], references }, []],
    [{ body: 'Brass [1, 2] and [3].', notes: [], references: references.map((item, i) => `[${i + 1}] ${item}`) }, []],
    [
      { body: 'Brass [1] and [4].', notes: ['An [aside], and [1] again'], references },
      ['[4] has no entry in "references"', 'entry 2 of "references" is not cited', 'entry 3 of "references" is not cited'],
    ],
    [{ body: 'Brass [7] and [9].', notes: [], references: ['[7] A', '[9] B'] }, []],
    [
      { body: `${'word '.repeat(12)}[1]`, notes: [], references: ['A'] },
      ['the answer has 13 words, more than 12 (not counting references)'],
    ],
  ])('%j', (value, problems) => {
    expect(
      formOf(fields)
        .read(JSON.stringify(value))
        .problems.map((p) => p.message),
    ).toEqual(problems)
  })
  test('have codes of their own', () => {
    const codes = formOf(fields.replace('12', '2'))
      .read('{"body":"Brass, no less [2].","notes":[],"references":["A"]}')
      .problems.map((p) => p.code)
    expect(codes).toEqual(['reply-citation-unknown', 'reply-citation-unused', 'reply-words'])
  })
  test('in a document, in the instruction, and in samples', () => {
    const form = formOf(text)
    expect(form.instruction).toContain(
      'Cite the entries of sources by their numbers, as in [1]; cite each of them. The answer has at least 4 words, not counting sources.',
    )
    expect(
      form
        .read('# Story\nIt hung [1] by the door [2].\n\n## Sources\n1. The register\n2. A letter\n3. A survey')
        .problems.map((p) => p.message),
    ).toEqual(['entry 3 of "sources" is not cited'])
    for (const output of [fields.replace('12', '400'), text])
      for (let seed = 0; seed < 40; seed++) expect(formOf(output).read(formOf(output).sample(seed)!).problems).toEqual([])
  })
  test('name fields and passages that exist', () => {
    const problems = (output: string) => libraryFrom({ 'outputs/o.yaml': output }).problems.map((p) => `${p.place!.line}: ${p.message}`)
    expect(problems(fields.replace('cites: references', 'cites: reference'))).toEqual(['3: unknown field "reference" of "o"'])
    expect(problems(fields.replace('cites: references', 'cites: body'))).toEqual(['3: "cites" must be a field that is a list, not "body"'])
    expect(problems(text.replace('not-counting: sources', 'not-counting: [source]'))).toEqual(['5: unknown field "source" of "o"'])
    expect(problems('kind: fields\nfields: { a: text }\nnot-counting: a')).toHaveLength(1)
  })
})

describe('rows', () => {
  const rows = formOf('kind: rows\nrow: "<heading> (<year: integer>) -> <maker>"\ncount: { min: 2, max: 3 }')
  const TWO = {
    rows: [
      { heading: 'A lamp', year: 1890, maker: 'Brook' },
      { heading: 'Bell (tall)', year: 1911, maker: 'not known' },
    ],
  }
  const text = 'A lamp (1890) -> Brook\nBell (tall) (1911) -> not known'
  test.each([
    ['as asked', text, []],
    ['numbered', text.replace('A', '1. A').replace('Bell', '2. Bell'), ['the rows are numbered']],
    ['bulleted, with blank lines', text.replace('A', '- A').replace('\nBell', '\n\n- Bell'), ['the rows are bulleted']],
    ['in prose', `Here are two lines:\n${text}\n\nI hope they please.`, ['there is text around the rows']],
    [
      'with look-alikes and blanks',
      text.replace('(1890) ->', '( 1890 )  —>').replace('—', '-'),
      ['row 1 differs from the row pattern in case, spaces or look-alike characters'],
    ],
    ['as JSON', JSON.stringify(TWO), ['the rows are in JSON']],
    ['as a list in JSON', JSON.stringify(TWO.rows), ['the rows are in JSON']],
  ])('%s', (_, reply, repaired) => {
    expect(summary(rows.read(reply))).toEqual({ value: TWO, ...(repaired.length > 0 && { repaired }) })
  })
  test('that are too few, broken, or without a year are refused, and the others kept', () => {
    expect(summary(rows.read(text.split('\n')[0]!)).problems).toEqual(['reply-rows-count: 1 row, fewer than 2'])
    expect(summary(rows.read(`${text}\nStool (19`)).problems).toEqual([
      'reply-row-invalid 3:1: row 3 does not match the row pattern: "Stool (19"',
    ])
    expect(summary(rows.read(text.replace('1890', 'c. 1890'))).problems).toEqual([
      'reply-row-invalid 1:1: row 1 "year" is "c. 1890", not an integer',
      'reply-rows-count: 1 row, fewer than 2',
    ])
    expect(rows.read(`${text}\nStool (19`).partial).toEqual(TWO)
  })
})

describe('a document', () => {
  const library = libraryFrom({
    'prompts/p.yaml': 'title: T\noutput: letter\nvariables: { to: text, fee: integer }\nturns: [{ user: "{use output}" }]',
    'outputs/letter.yaml': `kind: document
must-not-say: [priceless]
text: |
  # To {to}

  <opening: one warm paragraph, at most 12 words>

  ## What we ask of you

  <terms: two bullets>

  The fee is {fee} marks, payable within thirty days of the return. Yours, Ines Brook
`,
  })
  const { form } = library.prompt('p').render({ to: 'the Harbour School', fee: 40 })
  const good =
    '# To the Harbour School\n\nThe lamp will be glad of the company.\n\n## What we ask of you\n\n- Keep it dry.\n- Keep it lit.\n\nThe fee is 40 marks, payable within thirty days of the return. Yours, Ines Brook\n'

  test('is finished with its own text, and reports what was written', () => {
    const { value, problems, repairs } = form!.read(good)
    expect([problems, repairs]).toEqual([[], []])
    expect(value).toMatchObject({
      passages: { opening: 'The lamp will be glad of the company.', terms: '- Keep it dry.\n- Keep it lit.' },
      text: good.trimEnd(),
    })
    expect(
      (value as { segments: { kind: string; text: string }[] }).segments.slice(0, 4).map((segment) => [segment.kind, segment.text.trim()]),
    ).toEqual([
      ['fixed', '# To'],
      ['value', 'the Harbour School'],
      ['fixed', ''],
      ['written', 'The lamp will be glad of the company.'],
    ])
  })

  test.each<[string, string, object]>([
    ['in a fence', `\`\`\`markdown\n${good}\`\`\``, { repaired: ['the document is in a code fence'] }],
    [
      'in prose',
      `Certainly!\n\n${good}\n\nShall I send it?`,
      { repaired: ['there is text before the document', 'there is text after the document'] },
    ],
    [
      'a heading in capitals',
      good.replace('What we ask of you', 'WHAT WE ASK OF YOU'),
      { repaired: ['"## What we ask of you" came back with different case, spaces or quotes'] },
    ],
    [
      'fixed text changed',
      good.replace('thirty days', 'ninety days'),
      { problems: ['reply-fixed-changed 10:1: fixed text was changed: … marks, payable within [-thirty-] {+ninety+} days of the …'] },
    ],
    [
      'a figure of the record changed',
      good.replace('40 marks', '400 marks'),
      { problems: ['reply-fixed-changed 10:1: fixed text was changed: The fee is [-40-] {+400+} marks, payable within …'] },
    ],
    [
      'a part missing',
      good.slice(0, good.indexOf('The fee')),
      {
        problems: [
          'reply-fixed-missing: fixed text is missing: "The fee is 40 marks, payable within thirty days of the return. Yours, Ines Brook"',
        ],
      },
    ],
    [
      'a passage missing',
      good.replace('The lamp will be glad of the company.', ''),
      { problems: ['reply-passage-missing 5:1: the passage "opening" is missing'] },
    ],
    [
      'a passage left',
      good.replace('The lamp will be glad of the company.', '<opening: one warm paragraph, at most 12 words>'),
      { problems: ['reply-passage-missing 3:1: the passage "opening" was left as a placeholder'] },
    ],
    [
      'too many words',
      good.replace('glad', 'glad and glad and glad and glad and glad'),
      { problems: ['reply-passage-invalid 3:1: the passage "opening" has 16 words, more than 12'] },
    ],
    [
      'two paragraphs',
      good.replace('will', 'will.\n\nIt will'),
      { problems: ['reply-passage-invalid 3:1: the passage "opening" has 2 paragraphs, more than 1'] },
    ],
    [
      'a bullet missing',
      good.replace('- Keep it lit.\n', ''),
      { problems: ['reply-passage-invalid 7:1: the passage "terms" has 1 bullet, fewer than 2'] },
    ],
    ['a forbidden word', good.replace('glad', 'priceless'), { problems: ['reply-text-forbidden 3:18: it contains "priceless"'] }],
  ])('%s', (_, reply, expected) => {
    const { value, ...rest } = summary(form!.read(reply))
    expect(rest).toEqual(expected)
    expect(value !== undefined).toBe('repaired' in expected)
  })

  test('may have a required phrase in any of its texts', () => {
    const must = formOf('kind: fields\nfields: { a: text, b: list of text }\nmust-say: [MH-0007]')
    expect(must.read('{"a":"x","b":["see mh-0007!"]}').problems).toEqual([])
    expect(summary(must.read('{"a":"MH-00071","b":[]}')).problems).toEqual(['reply-text-missing: it does not contain "MH-0007"'])
  })
})

describe('samples', () => {
  test('are the same for a seed, and a problem if there can be none', () => {
    const form = formOf('kind: fields\nfields: { a: { type: text, pattern: "MH-\\\\d{4}" }, b: { type: integer, min: 3, max: 3 } }')
    expect(form.sample(4)).toBe(form.sample(4))
    expect(form.sample(4)).toMatch(/^\{"a":"MH-\d{4}","b":3\}$/)
    expect(() => form.sample(4, { as: 'wrogn' })).toThrow('unknown way "wrogn"; known: fenced, in-prose')
    expect(() => formOf('kind: fields\nfields: { a: { type: text, max-length: 2 } }\nmust-say: [MH-0007]').sample(1)).toThrow(
      expect.objectContaining({ problems: [expect.objectContaining({ code: 'sample-impossible' })] }),
    )
  })
})

test.each(['bug_report', 'bug-report', 'BUG REPORT', 'Label: Bug_Report.'])('%s is read as the label bug report', (reply) => {
  const library = libraryFrom({
    'outputs/o.yaml': 'kind: one-of\nof: [bug report, feature request]',
    'prompts/p.yaml': 'title: P\noutput: o\nturns: [{ user: Go. }]',
  })
  expect(library.prompt('p').read(reply)).toMatchObject({ value: { label: 'bug report' }, problems: [] })
})

describe('rows', () => {
  const read = (row: string, reply: string) =>
    libraryFrom({ 'outputs/o.yaml': `kind: rows\nrow: "${row}"`, 'prompts/p.yaml': 'title: P\noutput: o\nturns: [{ user: Go. }]' })
      .prompt('p')
      .read(reply)

  test('keep a number that the pattern asks for', () => {
    expect(read('<n: integer>. <headline>', '1. Big lamp\n2. Net needle')).toMatchObject({
      value: {
        rows: [
          { n: 1, headline: 'Big lamp' },
          { n: 2, headline: 'Net needle' },
        ],
      },
      repairs: [],
    })
    expect(read('<headline>', '1. Big lamp\n2. Net needle').value).toEqual({
      rows: [{ headline: 'Big lamp' }, { headline: 'Net needle' }],
    })
  })

  test.each([
    ['a Markdown table', 'Here you are:\n\n| Body | Headline |\n|---|:--|\n| Brass \\\\| glass | Lamp |\n| Worn | Needle |\n'],
    ['CSV', 'headline,body\nLamp,"Brass | glass"\nNeedle,Worn'],
    ['CSV with semicolons, in a fence', '```csv\nheadline;body\nLamp;Brass | glass\nNeedle;Worn\n```'],
  ])('are read from %s', (_, reply) => {
    expect(read('<headline>: <body>', reply.replaceAll('\\\\|', '\\|'))).toMatchObject({
      value: {
        rows: [
          { headline: 'Lamp', body: 'Brass | glass' },
          { headline: 'Needle', body: 'Worn' },
        ],
      },
      repairs: [{ message: expect.stringContaining('the rows are in a table') as unknown }],
    })
  })

  test('of a table with a cell too few are refused', () => {
    expect(read('<headline>: <body>', '| headline | body |\n|---|---|\n| Lamp |\n').problems.map(({ code }) => code)).toEqual([
      'reply-row-invalid',
    ])
  })
})
