import { describe, expect, test } from '@jest/globals'
import { batchModel, libraryFrom, ProblemError, type Library } from 'dunelight'
import { batchOf, problem, readAmount, type BatchRecord, Fit } from 'dunelight/host'
import { problemsOf, utf8, type Files } from '../../../../test/support.js'

const FILES: Files = {
  'prompts/p.yaml': `title: A label
variables:
  item: { type: record, fields: { number: text, made: { type: integer, optional: true }, room: { type: text, optional: true } } }
  room: { type: record, optional: true, fields: { name: text, floor: { type: integer, optional: true } } }
  loans: { type: list of record, optional: true, fields: { to: text } }
settings: { model: small, max-tokens: 300, token-encoding: cl100k }
turns:
  - system: Be “plain”.
  - user: '{item.number}{when room} in {room.name}{end}{when loans}, lent to {each loan in loans joined ", "}{loan.to}{end}{end}'
output: grade
`,
  'outputs/grade.yaml': 'kind: one-of\nof: [sound, urgent]\n',
}
const HEADINGS = ['Object No.', 'Made', 'Room', 'Status']
const ROWS = [
  ['A1', '1890', 'B0', 'on display'],
  ['A2', 'c. 1890', 'L1', 'in store'],
  ['A3', '', 'ZZ', 'on display'],
  ['A1', '1700', 'B0', 'on display'],
]
const COLUMNS = { 'item.number': 'Object No.' }

interface Tables {
  readonly [as: string]: { readonly headings: readonly string[]; readonly rows: readonly (readonly unknown[])[] }
}
const ROOMS = {
  room: {
    headings: ['Code', 'Name', 'Floor'],
    rows: [
      ['B0', 'the boathouse', 0],
      ['L1', 'the loft', 'top'],
      ['K', 'kitchen', 1],
      ['K', 'scullery', 1],
    ],
  },
}

function records(
  definition: Record<string, unknown>,
  tables: Tables = {},
  rows: readonly (readonly unknown[])[] = ROWS,
  library: Library = libraryFrom(FILES),
) {
  const batch = batchOf(
    library,
    batchModel({ prompt: 'p', records: { from: '../data/objects.csv', as: 'item' }, columns: COLUMNS, ...definition }),
  )
  const pools = batch.pools()
  const unjoined = pools.flatMap((pool) => pool.add(tables[pool.join.as]!.headings, tables[pool.join.as]!.rows, 1))
  if (unjoined.length > 0) throw new ProblemError(unjoined)
  const reader = batch.rows(HEADINGS, pools, HEADINGS[0])
  if (reader.problems.some((p) => p.severity === 'error')) throw new ProblemError(reader.problems)
  const accepted = rows
    .map((cells, i) => reader.read(cells, i + 1))
    .filter((batchRecord): batchRecord is BatchRecord => batchRecord !== undefined)
  return { batch, reader, accepted }
}

function messages(definition: Record<string, unknown>, tables: Tables = {}, rows = ROWS): string[] {
  try {
    return records(definition, tables, rows).accepted.map(({ id, prepared, problems, path }) => {
      const text = prepared ? prepared.turns().at(-1)!.text : problems.map((p) => p.message).join('; ')
      return `${id}: ${text}${path === undefined ? '' : ` → ${path}`}`
    })
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems.map((p) => `! ${p.message}${p.hint === undefined ? '' : ` (${p.hint})`}`)
    throw fault
  }
}

/** The codes of all that keeps records, or the whole batch, from being rendered. */
function codes(definition: Record<string, unknown>, tables: Tables = {}, rows = ROWS): string[] {
  try {
    return records(definition, tables, rows).accepted.flatMap((batchRecord) => batchRecord.problems.map((p) => p.code))
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems.flatMap((p) => (p.severity === 'error' ? [p.code] : []))
    throw fault
  }
}

describe('the records of a batch', () => {
  test('are the rows, those that do not fit with what is wrong', () => {
    expect(messages({})).toEqual(['A1: A1', 'A2: row 2, column "Made": "c. 1890" is not a whole number', 'A3: A3', 'A1: A1'])
  })

  test('are chosen by conditions over any column, before other cells are read', () => {
    expect(messages({ keep: 'item.status is "on display" and item.made < 1800' }).at(-1)).toBe('A1: A1')
    // A row that is left out is not rejected for a cell that the condition does not read.
    expect(messages({ keep: 'item.status is "on display"' })).toHaveLength(3)
    expect(messages({ keep: 'item.made > 1800' })).toEqual(['A1: A1', 'A2: row 2, column "Made": "c. 1890" is not a whole number'])
    expect(messages({ keep: 'item.statsu is "x"' })[0]).toMatch(/^! .*statsu/)
    expect(messages({ records: { from: 'x' }, keep: 'status is "in store"' })).toHaveLength(1)
    expect(messages({ columns: { ...COLUMNS, 'item.age': { heading: 'Room', type: 'text' } }, keep: 'item.age is "ZZ"' })).toEqual([
      'A3: A3',
    ])
  })

  test('are named by a text, and written to a path with slots', () => {
    expect(messages({ name: '{item.room}-{item.number}' }).map((text) => text.split(':')[0])).toEqual(['B0-A1', 'L1-A2', 'ZZ-A3', 'B0-A1'])
    expect(messages({ to: '../out/{item.room}/{item.number}.md', keep: 'item.made' })[0]).toBe('A1: A1 → out/B0/A1.md')
    expect(messages({ name: '{item.made}' })[2]).toBe('A3: the id of the record in row 3 is empty')
    expect(codes({ name: '{item.made}' })).toContain('record-unnamed')
  })

  test('cannot lead a path out of its folder', () => {
    const rows = [['../../x', '', '..', '']]
    expect(messages({ to: '../out/{item.room}/{item.number}.md' }, {}, rows)[0]).toBe('../../x: ../../x → out/-/--..-x.md')
  })
})

describe('joined tables', () => {
  const join = (more: Record<string, unknown> = {}) => ({
    join: [{ from: '../data/rooms.json', as: 'room', where: 'item.room is room.code', ...more }],
    columns: COLUMNS,
  })

  test('are found by equal values, on either side of the equality', () => {
    for (const where of ['item.room is room.code', 'room.code is item.room'])
      expect(messages(join({ where }), ROOMS)[0]).toBe('A1: A1 in the boathouse')
  })

  test('give a record its row; a missing one is missing, and a wrong one is reported with its table', () => {
    expect(messages(join(), ROOMS)).toEqual([
      'A1: A1 in the boathouse',
      'A2: in data/rooms.json: row 2, column "Floor": "top" is not a whole number',
      'A3: A3',
      'A1: A1 in the boathouse',
    ])
    expect(messages({ ...join(), keep: 'room.floor is 0' }, ROOMS).slice(0, 1)).toEqual(['A1: A1 in the boathouse'])
  })

  test('with several rows reject the record, or give a list', () => {
    expect(messages(join(), ROOMS, [['A9', '', 'K', '']])).toEqual(['A9: 2 rows of data/rooms.json match "K"'])
    expect(codes(join(), ROOMS, [['A9', '', 'K', '']])).toEqual(['join-several'])
    expect(codes(join(), ROOMS)).toEqual(['join-row-invalid'])
    const loans = {
      loans: {
        headings: ['No', 'To'],
        rows: [
          ['A1', 'Sandmouth'],
          ['A1', 'the school'],
          ['A2', 'nobody'],
        ],
      },
    }
    const many = { join: [{ from: 'l.csv', as: 'loans', where: 'loans.no is item.number', many: true }], columns: COLUMNS }
    expect(messages(many, loans)).toContain('A1: A1, lent to Sandmouth, the school')
    expect(messages(many, loans)).toContain('A3: A3')
  })

  test('that a record needs and that have no row for it reject it', () => {
    const needed = {
      ...FILES,
      'prompts/p.yaml': FILES['prompts/p.yaml']!.replace('room: { type: record, optional: true,', 'room: { type: record,'),
    }
    const { accepted } = records(join(), ROOMS, [['A3', '', 'ZZ', '']], libraryFrom(needed))
    expect(accepted[0]!.problems.map((p) => [p.code, p.message])).toEqual([['join-none', 'no matching row in data/rooms.json for "room"']])
  })

  test('are matched as numbers where one side is a number', () => {
    const years = { room: { headings: ['Year', 'Name'], rows: [['1,890', 'the year of the flood']] } }
    expect(messages(join({ where: 'item.made is room.year' }), years)[0]).toBe('A1: A1 in the year of the flood')
  })

  test.each<[string, Record<string, unknown>, string, RegExp]>([
    [
      'something else than equality',
      join({ where: 'item.room < room.code' }),
      'join-unequal',
      /"where" of "room" does not compare one of its columns/,
    ],
    [
      'a column that there is not',
      join({ where: 'item.room is room.cod' }),
      'column-unknown',
      /unknown column "cod" for "room".*did you mean "Code"/,
    ],
    ['a side that there is not', join({ where: 'itm.room is room.code' }), 'column-unknown', /unknown column "itm" for "where"/],
    ['a name that is taken', join({ as: 'item', where: 'item.room is item.code' }), 'join-name-duplicate', /two tables are named "item"/],
    ['a heading that there is not', { columns: { 'item.number': 'Objct No' } }, 'column-unknown', /unknown column "Objct No" for "number"/],
    [
      'a record that the prompt does not have',
      { records: { from: 'x', as: 'itme' } },
      'record-undeclared',
      /the prompt has no record "itme"/,
    ],
  ])('that say %s are refused', (_, definition, code, message) => {
    expect(messages(definition, ROOMS).join('\n')).toMatch(message)
    expect(codes(definition, ROOMS)).toContain(code)
  })
})

describe('a batch’s file', () => {
  test.each<[string, string, string]>([
    ['a key that is none', 'prmpt: p\n', 'key-unknown'],
    ['no table', 'prompt: p\n', 'key-missing'],
    ['a prompt that there is not', 'prompt: q\nrecords: { from: x.csv }\n', 'use-unknown'],
    ['an envelope that there is not', 'prompt: p\nrecords: { from: x.csv }\nenvelope: e\n', 'use-unknown'],
    ['a condition that cannot be read', 'prompt: p\nrecords: { from: x.csv }\nkeep: item is >\n', 'directive-unreadable'],
    ['a path out of the library', 'prompt: p\nrecords: { from: ../../x.csv }\n', 'path-leaves-library'],
    ['an output out of the library', 'prompt: p\nrecords: { from: x.csv }\nto: ../../{item.number}.md\n', 'path-leaves-library'],
    ['a format that is none', 'prompt: p\nrecords: { from: x, format: cvs }\n', 'key-invalid'],
    ['a take of nothing', 'prompt: p\nrecords: { from: x.csv }\ntake: 0\n', 'key-invalid'],
    ['a budget that is no number', 'prompt: p\nrecords: { from: x.csv }\nbudget: lots\n', 'key-invalid'],
    ['a type that columns do not have', 'prompt: p\nrecords: { from: x.csv }\ncolumns: { item.a: { type: colour } }\n', 'key-invalid'],
  ])('with %s is a problem when the library opens', (_, text, code) => {
    expect(problemsOf({ ...FILES, 'batches/b.yaml': text }).map((p) => p.code)).toContain(code)
  })

  test('writes large numbers with separators', () => {
    expect(['2m', '1.5M', '500k', '20,000', '12', 'x', '-1', '0'].map(readAmount)).toEqual([
      2e6,
      1.5e6,
      5e5,
      20_000,
      12,
      undefined,
      undefined,
      undefined,
    ])
  })
})

describe('lines', () => {
  const ENVELOPES = {
    'envelopes/wide.yaml': `line:
  id: "{record.id}"
  about: "{record.fields.Status} in row {record.row}, by {prompt}"
  year: "{values.item.made}"
  ask: "{dialogue}"
  guide: "{system}"
  answer: { form: "{schema}", of: "{output}" }
  with: "{settings}"
  limit: "{settings.max-tokens or 100}"
  heat: "{settings.temperature}"
  fixed: [1, true, null, plain]
turn: { who: "{role}", says: [{ kind: words, words: "{text}" }], as: "{name}" }
roles: { user: visitor }
`,
  }
  const lineOf = (definition: Record<string, unknown>, files: Files = FILES, options = {}) => {
    const { batch, accepted } = records(definition, {}, ROWS, libraryFrom(files))
    const line = batch.writer(HEADINGS, options).line(accepted[0]!, accepted[0]!.prepared!)
    return { ...line, data: JSON.parse(utf8(line.bytes)) as unknown, rendering: accepted[0]!.prepared!.render({ record: 'A1' }) }
  }

  test('have the record and its turns; in full, also what a caller of a model needs', () => {
    expect(lineOf({}).data).toEqual({
      record: 'A1',
      row: 1,
      prompt: 'p',
      turns: [
        { role: 'system', text: 'Be “plain”.' },
        { role: 'user', text: 'A1' },
      ],
    })
    const { data, rendering, fingerprint } = lineOf({}, FILES, { full: true, countTokens: (text: string) => text.length })
    expect(data).toMatchObject({
      fingerprint: rendering.fingerprint,
      output: 'grade',
      settings: { model: 'small', 'max-tokens': 300 },
      tokens: 13,
    })
    expect(fingerprint).toBe(rendering.fingerprint)
  })

  test('take the form of an envelope: what is missing is left out', () => {
    expect(lineOf({ envelope: 'wide' }, { ...FILES, ...ENVELOPES }).data).toEqual({
      id: 'A1',
      about: 'on display in row 1, by p',
      year: 1890,
      ask: [{ who: 'visitor', says: [{ kind: 'words', words: 'A1' }] }],
      guide: 'Be “plain”.',
      answer: {
        form: expect.objectContaining({ properties: { label: { type: 'string', enum: ['sound', 'urgent'] } } }) as unknown,
        of: 'grade',
      },
      with: { model: 'small', 'max-tokens': 300 },
      limit: 300,
      fixed: [1, true, null, 'plain'],
    })
  })

  test.each([
    ['line: { a: "{trns}" }', 'did you mean "turns"?'],
    ['line: { a: "{turns}" }\nturn: { a: "{txt}" }', 'did you mean "text"?'],
  ])('refuse what there is not to place: %s', (text, hint) => {
    const attempt = () => lineOf({ envelope: 'e' }, { ...FILES, 'envelopes/e.yaml': text })
    expect(attempt).toThrow(ProblemError)
    try {
      attempt()
    } catch (fault) {
      expect((fault as ProblemError).problems.map((p) => [p.code, p.hint])).toEqual([['envelope-name-unknown', hint]])
    }
  })

  test('lose nothing that a turn hands over: an envelope without a place for it is refused', () => {
    const files = (envelope: string) => ({
      'prompts/p.yaml':
        'title: T\nvariables: { guide: file, who: text }\nturns:\n  - user: "For {who}."\n    attach: [{ from: guide, as: text }]\n',
      'envelopes/e.yaml': envelope,
    })
    const attempt = (envelope: string) => {
      const model = batchModel({ prompt: 'p', records: { from: 'x' }, envelope: 'e' })
      const batch = batchOf(libraryFrom(files(envelope)), model, {
        values: { guide: { name: 'g.md', mediaType: 'text/markdown', text: 'Lift with both hands.' } },
      })
      const record = batch.rows(['Who'], []).read(['Ines'], 1)!
      return JSON.parse(batch.writer(['Who'], {}).line(record, record.prepared!).bytes) as { all: { beside: unknown[] }[] }
    }
    expect(attempt('line: { all: "{turns}" }\nturn: { text: "{text}", beside: "{parts}" }').all[0]!.beside).toHaveLength(1)
    for (const envelope of ['line: { all: "{turns}" }\nturn: { text: "{text}" }', 'line: { who: "{record.id}" }'])
      expect(() => attempt(envelope)).toThrow(ProblemError)
    expect(problem('envelope-loses-parts', { role: 'user' }).message).toContain('the user turn')
  })

  test('written one after the other are the same as each by itself, whatever changes in between', () => {
    const library = libraryFrom({
      'prompts/p.yaml': 'title: T\nvariables: { mood: text, who: text }\nturns:\n  - system: Be {mood}.\n  - user: Good day, {who}.\n',
    })
    const prompt = library.prompt('p')
    const values = ['dry', 'dry', 'warm', 'a "b"', 'dry', '“soft”', '“soft”'].flatMap((mood) => [
      { mood, who: 'Ines' },
      { mood, who: 'Éva' },
    ])
    for (const item of values) expect(utf8(prompt.prepare(item).bytes())).toBe(JSON.stringify(prompt.render(item).turns))
  })
})

describe('how a table fits', () => {
  const fit = (headings: readonly string[], rows: readonly (readonly unknown[])[], definition: Record<string, unknown> = {}) => {
    const batch = batchOf(libraryFrom(FILES), batchModel({ prompt: 'p', records: { from: 'x.csv', as: 'item' }, ...definition }))
    const counted = new Fit(batch, [], headings[0] ?? '')
    counted.add(headings, rows)
    return counted.report()
  }

  test('reports for each variable what is missing, wrong or unused', () => {
    const report = fit(HEADINGS, ROWS, { columns: COLUMNS })
    // One cell that is no number, and one id that another row has.
    expect(report).toMatchObject({ rows: 4, included: 4, rejected: 2, columns: [], others: [{ row: 4 }] })
    expect(report.variables.map(({ path, how, empty, invalid }) => [path, how, empty, invalid])).toEqual([
      ['item.number', 'named', 0, 0],
      ['item.made', 'alike', 1, 1],
      ['item.room', 'alike', 0, 0],
    ])
    expect(report.variables[1]).toMatchObject({
      samples: ['1890', '1700'],
      misfits: [{ row: 2, cell: 'c. 1890', why: 'expected a whole number' }],
    })
    expect(report.unused).toEqual([{ heading: 'Status', samples: ['on display', 'in store'] }])
  })

  test('suggests lines that can be pasted into the batch', () => {
    const report = fit(HEADINGS, ROWS)
    expect(report.columns).toEqual(['item.number: "Object No."'])
    expect(fit(['Numbr', 'Mad'], [['A1', '1']]).columns).toEqual(['item.number: "Numbr"', 'item.made: "Mad"'])
  })
})
