import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { printProblem, libraryFrom, type ProblemCode } from 'dunelight'
import { registry } from 'dunelight/host'
import { onePrompt, problemsOf, type Files } from '../../../../test/support.js'

const prompt = (body: string, more: Files = {}): Files => ({ 'prompts/p.yaml': `title: T\n${body}`, ...more })
const TURN = 'turns: [{ user: Go. }]\n'
const deep = (n: number) => `${'{when a}'.repeat(n)}x${'{end}'.repeat(n)}`
const chain = (n: number): Files => Object.fromEntries(Array.from({ length: n }, (_, i) => [`snippets/s${i}.md`, `~ use s${i + 1}`]))
const SET = 'title: S\nfields: { n: text, g: text }\nask: "{n}"\nanswer: "{g}"\n'

function selfHolding(): object {
  const record: Record<string, unknown> = {}
  record['self'] = record
  return record
}

type Raised = readonly [code: ProblemCode, files: Files, values?: Record<string, unknown>]

/** One library, or one set of values, that raises each code. */
const CASES: readonly Raised[] = [
  ['slot-unreadable', onePrompt('{a b}')],
  ['directive-unknown', onePrompt('~ whne a')],
  ['directive-unreadable', onePrompt('~ each x of l\n~ end')],
  ['end-missing', onePrompt('~ when a\nx', '{ a: boolean }')],
  ['end-stray', onePrompt('x\n~ end')],
  ['end-wrong', onePrompt('~ when a\nx\n~ end each', '{ a: boolean }')],
  ['forms-mixed', onePrompt('{when a}x\n~ end', '{ a: boolean }')],
  ['branch-stray', onePrompt('x\n~ otherwise')],
  ['branch-after-last', onePrompt('{when a}1{otherwise}2{otherwise}3{end}', '{ a: boolean }')],
  ['line-form-only', onePrompt('{untouched}')],
  ['name-reserved', onePrompt('x', '{ when: text }')],
  ['invisible-sign', onePrompt('a\u202Eb')],
  ['nesting-too-deep', onePrompt(deep(101), '{ a: boolean }')],
  ['escape-of-variable', onePrompt('\\{a} {a}', '{ a: text }')],
  ['name-unknown', onePrompt('{titel}', '{ title: text }')],
  ['field-unknown', onePrompt('{r.b}', '{ r: { type: record, fields: { a: text } } }')],
  ['step-unfit', onePrompt('{a.b}', '{ a: text }')],
  ['format-unknown', onePrompt('{a as uper}', '{ a: text }')],
  ['format-unfit', onePrompt('{a as sum}', '{ a: text }')],
  ['format-argument', onePrompt('{a as words}', '{ a: text }')],
  ['types-unlike', onePrompt('{when a is 3}x{end}', '{ a: text }')],
  ['option-unknown', onePrompt('{when a is "z"}x{end}', '{ a: { type: choice, of: [x, y] } }')],
  ['each-unfit', onePrompt('{each x in a}{x}{end}', '{ a: text }')],
  ['name-shadowed', onePrompt('{each a in l}{a}{end}{a}', '{ a: text, l: list of text }')],
  ['variable-unused', onePrompt('x', '{ a: text }')],
  ['use-unknown', onePrompt('~ use nothing')],
  ['use-circle', onePrompt('~ use a', '{}', { 'snippets/a.md': '~ use b', 'snippets/b.md': '~ use a' })],
  ['use-too-deep', onePrompt('~ use s0', '{}', { ...chain(40), 'snippets/s40.md': 'x' })],
  [
    'use-too-often',
    onePrompt('~ use s0', '{}', {
      ...Object.fromEntries(Array.from({ length: 14 }, (_, i) => [`snippets/s${i}.md`, `~ use s${i + 1}\n~ use s${i + 1}`])),
      'snippets/s14.md': 'x',
    }),
  ],
  ['use-name-unfit', onePrompt('~ use a/{t}', '{ t: text }')],
  ['use-nothing', onePrompt('~ use persona')],
  ['with-unknown', onePrompt('~ use a with z = 1', '{}', { 'snippets/a.md': 'x' })],
  ['with-missing', onePrompt('~ use a', '{}', { 'snippets/a.yaml': 'variables: { z: text }\ntext: "{z}"' })],
  [
    'with-optional',
    onePrompt('~ use a with z = o', '{ o: { type: text, optional: true } }', { 'snippets/a.yaml': 'variables: { z: text }\ntext: "{z}"' }),
  ],
  ['with-unfit', onePrompt('~ use a with z = 1', '{}', { 'snippets/a.yaml': 'variables: { z: text }\ntext: "{z}"' })],
  ['fence-unknown', onePrompt('{fence.a}')],
  ['outside-unfenced', onePrompt('{a}', '{ a: { type: text, outside: true } }')],
  ['fence-not-alone', onePrompt('x {a as fenced}', '{ a: text }')],
  ['fence-tag-unfit', onePrompt('{a as fenced "two words"}', '{ a: text }')],
  ['fence-misplaced', onePrompt('{a as fenced as upper}', '{ a: text }')],
  ['yaml-unreadable', { 'prompts/p.yaml': 'title: [T' }],
  ['key-unknown', prompt(`abuot: x\n${TURN}`)],
  ['key-missing', { 'prompts/p.yaml': TURN }],
  ['key-unfit', prompt(`tags: one\n${TURN}`)],
  ['type-unknown', onePrompt('{a}', '{ a: txet }')],
  ['bounds-contradict', onePrompt('{a}', '{ a: { type: integer, min: 5, max: 2 } }')],
  ['default-unfit', onePrompt('{a}', '{ a: { type: integer, default: x } }')],
  ['name-unfit', { 'prompts/two words.yaml': `title: T\n${TURN}` }],
  ['name-clash', { 'snippets/a.md': 'x', 'snippets/a.yaml': 'text: x' }],
  ['name-case-clash', { 'snippets/a.md': 'x', 'snippets/A.md': 'x' }],
  ['name-taken', { 'snippets/output.md': 'x' }],
  ['folder-unknown', { 'promts/a.yaml': 'title: T' }],
  ['text-folded', { 'prompts/p.yaml': 'title: T\nturns:\n  - user: >\n      ~ when a\n      x\n      ~ end\n' }],
  ['base-circle', { 'prompts/a.yaml': 'title: A\nbased-on: b', 'prompts/b.yaml': 'title: B\nbased-on: a' }],
  ['bind-unknown', { 'prompts/a.yaml': `title: A\n${TURN}`, 'prompts/b.yaml': 'title: B\nbased-on: a\nbind: { z: x }' }],
  [
    'bind-unfit',
    {
      'prompts/a.yaml': 'title: A\nvariables: { n: integer }\nturns: [{ user: "{n}" }]',
      'prompts/b.yaml': 'title: B\nbased-on: a\nbind: { n: many }',
    },
  ],
  ['base-turns', { 'prompts/a.yaml': `title: A\n${TURN}`, 'prompts/b.yaml': `title: B\nbased-on: a\n${TURN}` }],
  ['turn-key-misplaced', prompt('turns: [{ user: Go., with: { a: b } }]')],
  [
    'base-needs',
    {
      'prompts/a.yaml': 'title: A\nvariables: { t: text }\nturns: [{ user: "{t}" }]',
      'prompts/b.yaml': 'title: B\nbased-on: a\nwithout: [t]',
    },
  ],
  ['attach-unfit', prompt('variables: { t: text }\nturns: [{ user: "{t}", attach: [t] }]')],
  ['attach-missing', prompt('turns: [{ user: Go., attach: [../data/guide.md] }]')],
  ['history-unfit', prompt('variables: { h: text }\nturns: [{ history: h }, { user: Go. }]')],
  ['history-unfenced', prompt('variables: { h: { type: turns, outside: true } }\nturns: [{ history: h }, { user: Go. }]')],
  ['path-outside', { 'examples/s.yaml': `${SET}from: ../../else.csv` }],
  ['cases-missing', { 'examples/s.yaml': `${SET}from: ../data/cases.csv` }],
  ['pick-unfit', { 'examples/s.yaml': `${SET}pick: { by: liking }` }],
  ['budget-uncounted', { 'examples/s.yaml': `${SET}pick: { budget: 600 tokens }` }],
  ['pick-without-record', prompt('turns: [{ examples: s }, { user: Go. }]', { 'examples/s.yaml': `${SET}pick: { by: likeness }` })],
  ['answer-without-beginning', prompt('variables: { n: text }\nturns: [{ ask: s, begin-answer: true }]', { 'examples/s.yaml': SET })],
  [
    'answer-form-unfit',
    prompt('output: o\nturns: [{ examples: s }, { user: Go. }]', {
      'outputs/o.yaml': 'kind: one-of\nof: [a, b]',
      'examples/s.yaml': SET.replace('"{g}"', 'output'),
    }),
  ],
  ['started-answer-blank', prompt('turns: [{ user: Go. }, { assistant: "Grade: " }]')],
  ['case-unfit', { 'examples/s.yaml': `${SET}cases: [{ n: one }]` }],
  [
    'case-unreadable',
    prompt('output: o\nturns: [{ examples: s }, { user: Go. }]', {
      'outputs/o.yaml': 'kind: one-of\nof: [a, b]',
      'examples/s.yaml': `${SET}cases: [{ n: one, g: z }]`,
    }),
  ],
  ['setting-unfit', prompt(`settings: { temperature: hot }\n${TURN}`)],
  ['setting-unknown', prompt(`settings: { warmth: 3 }\n${TURN}`)],
  ['secret-in-text', onePrompt(`sk-${'aB3dE6gH9'.repeat(4)}`)],
  ['value-missing', onePrompt('{a}', '{ a: text }'), {}],
  ['value-undeclared', onePrompt('{a}', '{ a: text }'), { a: 'x', b: 'y' }],
  [
    'value-bound',
    {
      'prompts/a.yaml': 'title: A\nvariables: { t: text }\nturns: [{ user: "{t}" }]',
      'prompts/p.yaml': 'title: P\nbased-on: a\nbind: { t: x }',
    },
    { t: 'y' },
  ],
  ['value-unfit', onePrompt('{a}', '{ a: integer }'), { a: 'x' }],
  ['value-bounds', onePrompt('{a}', '{ a: { type: integer, max: 3 } }'), { a: 4 }],
  ['step-found-nothing', onePrompt('{r.a}', '{ r: record }'), { r: {} }],
  ['value-not-formattable', onePrompt('{r.a as number}', '{ r: record }'), { r: { a: 'x' } }],
  ['each-not-list', onePrompt('{each x in r.a}{x}{end}', '{ r: record }'), { r: { a: 'x' } }],
  ['no-turn-left', onePrompt('{a}', '{ a: { type: text, optional: true } }'), {}],
  ['roles-repeat', prompt('turns: [{ user: a }, { user: b }]'), {}],
  ['history-system', prompt('variables: { h: turns }\nturns: [{ history: h }, { user: Go. }]'), { h: [{ role: 'system', text: 'x' }] }],
  [
    'persona-unknown',
    prompt('variables: { k: text }\npersona: "{k}"\nturns: [{ system: "{use persona}" }, { user: Go. }]'),
    { k: 'nobody' },
  ],
  ['locale-unknown', prompt(`locale: not-a-place-anywhere\n${TURN}`)],
  [
    'repeats-over-limit',
    onePrompt('{each x in l}.{end}', '{ l: list of text }', { 'dunelight.yaml': 'limits: { repeats: 1 }' }),
    { l: ['a', 'b'] },
  ],
  ['value-too-deep', onePrompt('{r as json}', '{ r: record }'), { r: selfHolding() }],
  ['steps-over-limit', onePrompt('{a as count}', '{ a: list of text }', { 'dunelight.yaml': 'limits: { steps: 1 }' }), { a: ['a', 'b'] }],
  ['bytes-over-limit', onePrompt('{a}', '{ a: text }', { 'dunelight.yaml': 'limits: { rendering-bytes: 3 }' }), { a: 'long' }],
]

/** Codes that come up elsewhere than in opening a library and rendering, and the tests that raise them. */
const ELSEWHERE: Partial<Record<ProblemCode, string>> = {
  'model-unknown': 'packages/cli/src/ask.test.ts',
  'screen-found': 'packages/cli/src/screens.test.ts',
  'model-key-unfit': 'packages/cli/src/ask.test.ts',
  'environment-missing': 'packages/cli/src/ask.test.ts',
  'model-silent': 'packages/cli/src/ask.test.ts',
  'model-gone': 'packages/cli/src/ask.test.ts',
  'model-waits': 'packages/node/src/ask/asking.test.ts',
  'internal-error': 'packages/node/src/node.test.ts',
  'pipe-waits': 'packages/cli/src/smoke.test.ts',
  'row-too-deep': 'packages/node/src/node.test.ts',
  'answer-refused': 'packages/cli/src/asking.load.test.ts',
  'answer-not-found': 'packages/cli/src/ask.test.ts',
  'answers-made-up': 'packages/cli/src/ask.test.ts',
  'answer-line-broken': 'packages/node/src/ask/answer-log.test.ts',
  'record-undeclared': 'packages/core/src/batches/batches.test.ts',
  'column-unknown': 'packages/core/src/batches/batches.test.ts',
  'join-several': 'packages/core/src/batches/batches.test.ts',
  'join-row-unfit': 'packages/core/src/batches/batches.test.ts',
  'join-none': 'packages/core/src/batches/batches.test.ts',
  'record-unnamed': 'packages/core/src/batches/batches.test.ts',
  'join-unequal': 'packages/core/src/batches/batches.test.ts',
  'join-name-twice': 'packages/core/src/batches/batches.test.ts',
  'envelope-loses-parts': 'packages/core/src/batches/batches.test.ts',
  'envelope-name-unknown': 'packages/core/src/batches/batches.test.ts',
  'line-unreadable': 'packages/tables/src/tables.test.ts',
  'line-endless': 'packages/tables/src/tables.test.ts',
  'row-no-record': 'packages/tables/src/tables.test.ts',
  'encoding-guessed': 'packages/tables/src/tables.test.ts',
  'row-endless': 'packages/tables/src/tables.test.ts',
  'table-format-unknown': 'packages/node/src/node.test.ts',
  'sheet-unknown': 'packages/node/src/node.test.ts',
  'heading-merged': 'packages/node/src/node.test.ts',
  'query-unfit': 'packages/node/src/node.test.ts',
  'record-named-twice': 'packages/cli/src/run.test.ts',
  'output-ending': 'packages/cli/src/run.test.ts',
  'output-exists': 'packages/cli/src/run.test.ts',
  'sheet-too-long': 'packages/cli/src/run.test.ts',
  'record-path-unfit': 'packages/cli/src/run.test.ts',
  'record-path-twice': 'packages/cli/src/run.test.ts',
  'run-unreadable': 'packages/cli/src/resume.test.ts',
  'run-changed': 'packages/cli/src/resume.test.ts',
  'run-alive': 'packages/cli/src/resume.test.ts',
  'run-over': 'packages/cli/src/resume.test.ts',
  'budget-exceeded': 'packages/cli/src/run.test.ts',
  'case-row-unfit': 'packages/core/src/examples/sets.test.ts',
  'label-without-case': 'packages/core/src/examples/sets.test.ts',
  'labels-lopsided': 'packages/core/src/examples/sets.test.ts',
  'cases-contradict': 'packages/core/src/examples/sets.test.ts',
  'cases-alike': 'packages/core/src/examples/sets.test.ts',
  'case-long': 'packages/core/src/examples/sets.test.ts',
  'answer-not-read-back': 'packages/core/src/examples/sets.test.ts',
  'picked-few': 'packages/core/src/examples/picking.test.ts',
  'artefact-unused': 'packages/core/src/library/graph.test.ts',
  'attachment-over-limit': 'packages/core/src/render/parts.test.ts',
  'attachment-without-text': 'packages/core/src/render/parts.test.ts',
  'wordings-over-limit': 'packages/core/src/render/wordings.test.ts',
  'passage-unreadable': 'packages/core/src/outputs/definitions.test.ts',
  'passage-none': 'packages/core/src/outputs/definitions.test.ts',
  'passage-twice': 'packages/core/src/outputs/definitions.test.ts',
  'passage-in-each': 'packages/core/src/outputs/definitions.test.ts',
  'passages-touch': 'packages/core/src/outputs/definitions.test.ts',
  'label-unfit': 'packages/core/src/outputs/definitions.test.ts',
  'labels-missing': 'packages/core/src/outputs/definitions.test.ts',
  'output-contradicts': 'packages/core/src/outputs/definitions.test.ts',
  'schema-broken': 'packages/core/src/outputs/definitions.test.ts',
  'schema-unchecked': 'packages/core/src/outputs/definitions.test.ts',
  'pattern-refused': 'packages/core/src/outputs/definitions.test.ts',
  'bound-unfit': 'packages/core/src/outputs/definitions.test.ts',
  'sample-impossible': 'packages/core/src/outputs/replies.test.ts',
  'reply-empty': 'packages/core/src/outputs/replies.test.ts',
  'reply-over-limit': 'packages/core/src/outputs/replies.test.ts',
  'reply-without-json': 'packages/core/src/outputs/replies.test.ts',
  'reply-cut-off': 'packages/core/src/outputs/replies.test.ts',
  'reply-field-missing': 'packages/core/src/outputs/replies.test.ts',
  'reply-field-unfit': 'packages/core/src/outputs/replies.test.ts',
  'reply-label-unknown': 'packages/core/src/outputs/replies.test.ts',
  'reply-labels-several': 'packages/core/src/outputs/replies.test.ts',
  'reply-row-unfit': 'packages/core/src/outputs/replies.test.ts',
  'reply-rows-count': 'packages/core/src/outputs/replies.test.ts',
  'reply-passage-missing': 'packages/core/src/outputs/replies.test.ts',
  'reply-passage-unfit': 'packages/core/src/outputs/replies.test.ts',
  'reply-fixed-changed': 'packages/core/src/outputs/replies.test.ts',
  'reply-fixed-missing': 'packages/core/src/outputs/replies.test.ts',
  'reply-unsaid': 'packages/core/src/outputs/replies.test.ts',
  'reply-says': 'packages/core/src/outputs/replies.test.ts',
  'reply-schema-unfit': 'packages/core/src/outputs/replies.test.ts',
  'reply-not-exact': 'packages/core/src/outputs/replies.test.ts',
  'reply-repaired': 'packages/core/src/outputs/replies.test.ts',
  'reply-row-unknown': 'packages/cli/src/read.test.ts',
  'reply-twice': 'packages/cli/src/read.test.ts',
  'reply-none': 'packages/cli/src/read.test.ts',
  'reply-unfounded': 'packages/core/src/outputs/truth.test.ts',
  'reply-from-example': 'packages/core/src/outputs/truth.test.ts',
  'reply-copied': 'packages/core/src/outputs/truth.test.ts',
  'output-unknown': 'packages/core/src/code/code.test.ts',
  'schema-unfit': 'packages/core/src/interop/schema.test.ts',
  'prompt-unknown': 'packages/core/src/library/library.test.ts',
  'heading-missing': 'packages/core/src/values/row.test.ts',
  'heading-unused': 'packages/core/src/values/row.test.ts',
  'heading-twice': 'packages/core/src/values/row.test.ts',
  'cell-unfit': 'packages/core/src/values/row.test.ts',
  'cell-missing': 'packages/core/src/values/row.test.ts',
  'row-ragged': 'packages/core/src/values/row.test.ts',
  'quote-open': 'packages/tables/src/tables.test.ts',
  'not-text': 'packages/tables/src/tables.test.ts',
  'table-empty': 'packages/tables/src/tables.test.ts',
  'file-unreadable': 'packages/node/src/node.test.ts',
  'record-unknown': 'packages/cli/src/cli.test.ts',
  'run-asked-nothing': 'packages/cli/src/pick.test.ts',
  'answer-unknown': 'packages/cli/src/pick.test.ts',
  'part-unknown': 'packages/cli/src/pick.test.ts',
}

describe('problem codes', () => {
  test.each(CASES)('%s is raised', (code, files, ...[values]) => {
    const found = problemsOf(files, values)
    expect(found.map((p) => p.code)).toContain(code)
    const one = found.find((p) => p.code === code)!
    expect(one.message).not.toBe('')
    if (values === undefined) expect(one.place?.file).toMatch(/^(prompts|snippets|examples|outputs|promts)\//)
  })

  test('all of the registry are raised, here or in a test that names them', () => {
    const here = new Set(CASES.map(([code]) => code))
    const missing = (Object.keys(registry) as ProblemCode[]).filter((code) => !here.has(code) && !raisedElsewhere(code))
    expect(missing).toEqual([])
  })

  test('the reference lists each with its severity and its reason', () => {
    const docs = readFileSync('docs/problems.md', 'utf8')
    for (const [code, entry] of Object.entries(registry)) expect(docs).toContain(`### \`${code}\`\n\n*${entry.severity}* — ${entry.about}`)
  })
})

function raisedElsewhere(code: ProblemCode): boolean {
  const file = ELSEWHERE[code]
  return file !== undefined && new RegExp(`['"[]${code}\\b`).test(readFileSync(file, 'utf8'))
}

describe('a problem as people read it', () => {
  const show = (files: Files) =>
    libraryFrom(files)
      .problems.filter((p) => p.severity !== 'info')
      .map((p) => printProblem(p))
      .join('\n\n')

  test('five faults are five problems, each with file, line, column, frame and mend', () => {
    const files = {
      'prompts/label.yaml': [
        'title: Label',
        'abuot: nothing',
        'variables: { title: text, room: text }',
        'turns:',
        '  - user: |',
        '      {titel} in {room as uper}',
        '      ~ use stile',
        '',
      ].join('\n'),
      'snippets/style.yaml': 'text: |\n  Be plain.\n  ~ whne it rains\n',
    }
    expect(libraryFrom(files).problems.filter((p) => p.severity === 'error')).toHaveLength(5)
    expect(show(files)).toMatchInlineSnapshot(`
     "prompts/label.yaml:2:1 error: a prompt has no key "abuot" [key-unknown]
     1 | title: Label
     2 | abuot: nothing
       | ^^^^^
     3 | variables: { title: text, room: text }
     4 | turns:
       mend: did you mean "about"?

     prompts/label.yaml:3:14 warning: the variable "title" is used nowhere [variable-unused]
     1 | title: Label
     2 | abuot: nothing
     3 | variables: { title: text, room: text }
       |              ^^^^^
     4 | turns:
     5 |   - user: |
       mend: write it into a turn, or remove its declaration

     prompts/label.yaml:6:8 error: there is no variable "titel" [name-unknown]
     4 | turns:
     5 |   - user: |
     6 |       {titel} in {room as uper}
       |        ^^^^^
     7 |       ~ use stile
       mend: did you mean "title"?

     prompts/label.yaml:6:27 error: there is no format "uper" [format-unknown]
     4 | turns:
     5 |   - user: |
     6 |       {titel} in {room as uper}
       |                           ^^^^
     7 |       ~ use stile
       mend: did you mean "upper"?

     prompts/label.yaml:7:13 error: there is no snippet "stile" [use-unknown]
     5 |   - user: |
     6 |       {titel} in {room as uper}
     7 |       ~ use stile
       |             ^^^^^
       mend: did you mean "style"?

     snippets/style.yaml:3:5 error: there is no directive "whne" [directive-unknown]
     1 | text: |
     2 |   Be plain.
     3 |   ~ whne it rains
       |     ^^^^
       mend: did you mean "when"?; for a literal line write \\~"
    `)
  })

  test('places hold in folded, quoted and plain scalars, and behind line ends of any kind', () => {
    const at = (yaml: string) => problemsOf({ 'prompts/p.yaml': yaml }).map((p) => [p.code, p.place?.line, p.place?.column])
    expect(at('title: T\r\nturns:\r\n  - user: |\r\n      one\r\n      ä {zwei}\r\n')).toEqual([['name-unknown', 5, 10]])
    expect(at('title: T\nturns:\n  - user: >-\n      one\n      two {zwei}\n\n      three {drei}\n')).toEqual([
      ['name-unknown', 5, 12],
      ['name-unknown', 7, 14],
    ])
    expect(at('title: T\nturns:\n  - user: "a\\n\\u00e4 \\"b\\" {zwei}\n      c {drei}"\n')).toEqual([
      ['name-unknown', 3, 29],
      ['name-unknown', 4, 10],
    ])
    expect(at("title: T\nturns:\n  - user: 'it''s {zwei}'\n")).toEqual([['name-unknown', 3, 19]])
    expect(at('title: T\nturns:\n  - user: plain\n      {zwei}\n')).toEqual([['name-unknown', 4, 8]])
    expect(at('title: T\nturns:\n  - user: |4\n          in\n        {zwei}\n')).toEqual([['name-unknown', 5, 10]])
  })

  test('the hint on a literal brace fits the place', () => {
    const hint = (yaml: string) => problemsOf({ 'prompts/p.yaml': yaml })[0]?.hint
    expect(hint('title: T\nturns: [{ user: "{a b}" }]')).toBe('for a literal brace write \\\\{')
    expect(hint('title: T\nturns:\n  - user: |\n      {a b}\n')).toBe('for a literal brace write \\{')
    expect(hint('title: T\nturns:\n  - user: |\n      letters: \\p{Lu}+\n')).toBe('if the expression \\p{Lu} was meant, write \\p\\{Lu}')
  })

  test('long lines are cut to a window, tabs kept', () => {
    expect(show(onePrompt(`${'word '.repeat(60)}{nobody} ${'word '.repeat(60)}`))).toMatch(/…\w* (word )+\{nobody\}.*…\n +\| +\^{6}/)
  })
})
