import { describe, expect, test } from '@jest/globals'
import { libraryFrom } from 'dunelight'
import { readWrittenDate } from 'dunelight/parts'

const files = (more = '') => ({
  'prompts/p.yaml': `title: T
output: o
variables: { item: { type: record, fields: { title: text, made: integer, weight-g: number, note: text, lent: { type: date, optional: true }, more: { type: text, optional: true } } } }
turns:
  - system: The house style of Marram House. At most sixty words.
${more}  - user: "{item.title}, made {item.made}, {item.weight-g as number} g. {item.note}{when item.lent} Lent {item.lent}{end}"
`,
  'outputs/o.yaml': 'kind: fields\nfields: { body: text, count: { type: integer, optional: true } }',
})
const item = {
  title: 'A lamp',
  made: 1890,
  'weight-g': 1890.5,
  note: 'Given by Ada Brook in the spring of 1911, one of twelve.',
  lent: '2026-11-23',
  more: 'Kept at Tern Point',
}
const prompt = libraryFrom(files()).prompt('p')
const unsupported = (body: string, more = {}) =>
  prompt
    .render({ item })
    .read(JSON.stringify({ body, ...more }))
    .unsupported.map((p) => p.message)

describe('the content of a reply', () => {
  test.each([
    'Made in 1890 and given in 1911 by Ada Brook; it weighs 1,890.5 g, or 1890,5.',
    'Made in eighteen ninety, in the 1890s, late in the 19th century: the nineteenth century, if you like.',
    'Eighteen hundred and ninety. Brook’s lamp. At most 60 words, sixty words, one of 12, two of them, seven days.',
    'Lent on 23 November 2026, that is 23.11.2026, or November 23rd, 2026.',
    '1. The lamp\n2. Its glass',
    'It weighs 1.8905e3 g, 1.8905 × 10³ g or 1.8905 x 10^3 g.',
    'It is half a lamp, and 1890½ g.',
    'Look at it from the side. It was Ada who kept it. Tern Point was its home.',
    'THE LAMP OF THE HOUSE\nA Lamp Against Weather',
  ])('is founded: %s', (body) => {
    expect(unsupported(body)).toEqual([])
  })

  test.each([
    ['It was made in 1891.', ['the year "1891" occurs neither in the prompt nor in the record']],
    [
      'It weighs 2,000 g and cost £3.',
      [
        'the figure "2,000" occurs neither in the prompt nor in the record',
        'the amount "£3" occurs neither in the prompt nor in the record',
      ],
    ],
    ['A child of the seventeenth century.', ['the century "seventeenth century" occurs neither in the prompt nor in the record']],
    ['Forty years it hung there.', ['the figure "Forty" occurs neither in the prompt nor in the record']],
    ['It came back on 3 March 1893.', ['the date "3 March 1893" occurs neither in the prompt nor in the record']],
    [
      'It was signed by Ada Marsh of Gannet Bay.',
      [
        'the name "Marsh" occurs neither in the prompt nor in the record',
        'the name "Gannet Bay" occurs neither in the prompt nor in the record',
      ],
    ],
    ['It held 95 % of its oil.', ['the amount "95 %" occurs neither in the prompt nor in the record']],
    ['It weighs 1.9e3 g.', ['the figure "1.9e3" occurs neither in the prompt nor in the record']],
    ['It weighs 2 × 10⁻³ g.', ['the figure "2 × 10⁻³" occurs neither in the prompt nor in the record']],
    [
      'It is 3/4 full, ⅔ glass.',
      ['the figure "3/4" occurs neither in the prompt nor in the record', 'the figure "⅔" occurs neither in the prompt nor in the record'],
    ],
    ['Three quarters of it is brass.', ['the figure "Three quarters" occurs neither in the prompt nor in the record']],
    ['It hangs beside MH-0008.', ['the identifier "MH-0008" occurs neither in the prompt nor in the record']],
    ['Write to ada@marsh.example.', ['the e-mail address "ada@marsh.example" occurs neither in the prompt nor in the record']],
    ['See https://marsh.example/lamps.', ['the web address "https://marsh.example/lamps" occurs neither in the prompt nor in the record']],
  ])('is unsupported: %s', (body, expected) => {
    expect(unsupported(body)).toEqual(expected)
  })

  test('numbers of the data count too, each doubt once and with its place', () => {
    expect(unsupported('A lamp.', { count: 17 })).toEqual(['the figure "17" occurs neither in the prompt nor in the record'])
    const reply = prompt.render({ item }).read('{"body":"Made in 1891.\\nYes, in 1891."}')
    expect(reply.unsupported.map((p) => [p.code, p.severity, p.place?.column])).toEqual([['reply-unsupported', 'warning', 18]])
    expect(reply.value).toEqual({ body: 'Made in 1891.\nYes, in 1891.' })
  })

  test('names are not looked for where every noun has a capital', () => {
    const german = prompt.render({ item }, { locale: 'de' }).read('{"body":"Die Lampe stand im Fenster der Werft."}')
    expect(german.unsupported).toEqual([])
  })
})

describe('examples of a prompt', () => {
  const library = libraryFrom({
    ...files('  - examples: s\n'),
    'examples/s.yaml': `title: S
fields: { ask: text, answer: text }
input: "{ask}"
expected: "{answer}"
cases: [{ ask: "A bell of 1777, from the school at Gannet Bay.", answer: "It rang the children in from the dunes, whatever the weather." }]
`,
    'outputs/o.yaml': 'kind: document\ntext: "# Label\\n<body>"',
    'prompts/p.yaml': files('  - examples: s\n')['prompts/p.yaml'].replace('output: o\n', ''),
  })
  test('give what was copied from them away', () => {
    const rendering = library.prompt('p').render({ item })
    const { unsupported: claims } = rendering.read(
      'The lamp of 1777 hung at Gannet Bay. It rang the children in from the dunes, whatever the weather.',
    )
    expect(claims.map((p) => [p.code, p.message])).toEqual([
      ['reply-from-example', 'the year "1777" occurs only in an example'],
      ['reply-from-example', 'the name "Gannet Bay" occurs only in an example'],
      ['reply-copied', 'copied from an example: "It rang the children in from the dunes, whatever the weather."'],
    ])
  })
})

test('dates in words and digits', () => {
  expect(
    ['1893-03-03', '3rd of March 1893', 'March 3, 1893', '3.3.1893', '03/03/1893', '31 Feb 1893', 'soon'].map(readWrittenDate),
  ).toEqual([...Array.from({ length: 5 }, () => '1893-03-03'), undefined, undefined])
})

test('a fraction is the same however it is written', () => {
  const of = (given: string, reply: string) =>
    libraryFrom({ 'prompts/p.yaml': 'title: P\nvariables: { t: text }\nturns: [{ user: "{t}" }]' })
      .prompt('p')
      .render({ t: given })
      .read(reply)
      .unsupported.map((p) => 'text' in p.data && p.data.text)
  const ways = ['0.75', '¾', '3/4', 'three quarters', 'three-quarters', '7.5e-1', '7.5 × 10⁻¹']
  for (const given of ways)
    for (const reply of ways) expect([given, reply, of(`It is ${given} full.`, `It is ${reply} full.`)]).toEqual([given, reply, []])
  expect(of('2.5 m, 0.6667', '2½ m, 2 1/2 m, two thirds, ⅔')).toEqual([])
  expect(of('12.5 m', '½, ¼, 5/8')).toEqual(['½', '¼', '5/8'])
  // Dates and paths are no fractions.
  expect(of('On 3/3/1893 in a/b/2 of 24/7.', '3/3/1893, a/b/2, 24/7')).toEqual([])
})

test('identifiers, addresses and times are compared as a whole', () => {
  const inputs = 'MH-0007 at 09:30 and B0, see www.marsh.example/a/ or ines@marsh.example, MH-00071 too.'
  const of = (reply: string) =>
    libraryFrom({ 'prompts/p.yaml': 'title: P\nvariables: { t: text }\nturns: [{ user: "{t}" }]' })
      .prompt('p')
      .render({ t: inputs })
      .read(reply)
      .unsupported.map((p) => 'text' in p.data && p.data.text)
  expect(of('MH-0007 in B0 at 9:30. Ask INES@marsh.example; see https://www.marsh.example/a.')).toEqual([])
  expect(of('MH-000, MH-0008, B1, 9:31, ines@marsh.example.org, www.marsh.example/b')).toEqual(
    expect.arrayContaining(['MH-000', 'MH-0008', 'B1', '9:31', 'ines@marsh.example.org', 'www.marsh.example/b']),
  )
})
