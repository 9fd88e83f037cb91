import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { printProblem, libraryFrom, type ProblemCode } from 'dunelight'
import { registry } from 'dunelight/host'
import { onePrompt, problemsOf, type Files } from '../../../../test/support.js'

const prompt = (body: string, more: Files = {}): Files => ({ 'prompts/p.yaml': `title: T\n${body}`, ...more })
const TURN = 'turns: [{ user: Go. }]\n'
const deep = (n: number) => `${'{when a}'.repeat(n)}x${'{end}'.repeat(n)}`
const chain = (n: number): Files => Object.fromEntries(Array.from({ length: n }, (_, i) => [`snippets/s${i}.md`, `~ use s${i + 1}`]))
const SET = 'title: S\nfields: { n: text, g: text }\ninput: "{n}"\nexpected: "{g}"\n'

function selfHolding(): object {
  const record: Record<string, unknown> = {}
  record['self'] = record
  return record
}

type Raised = readonly [code: ProblemCode, files: Files, values?: Record<string, unknown>]

/** A library with an assembly of these parts over a text "a", and prompts that take, answer and score texts. */
const assembly = (parts: string, text = 'text: "{a}"'): Files => ({
  'prompts/take.yaml': 'title: T\nvariables: { b: text }\nturns: [{ user: "{b}" }]',
  'prompts/fence.yaml': 'title: T\nvariables: { b: { type: text, untrusted: true } }\nturns: [{ user: "{b as fenced}" }]',
  'prompts/plain.yaml': 'title: T\nturns: [{ user: Go. }]',
  'prompts/list.yaml': 'title: T\noutput: points\nturns: [{ user: Go. }]',
  'prompts/score.yaml': 'title: T\noutput: score\nturns: [{ user: Go. }]',
  'outputs/points.yaml': 'kind: fields\nfields: { points: list of text }',
  'outputs/score.yaml': 'kind: fields\nfields: { points: integer }',
  'assemblies/x.yaml': `title: X\nvariables: { a: text }\nparts: { ${parts} }\n${text}\n`,
})
const PLACED = 'text: "{a} {p}"'

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
  ['invisible-character', onePrompt('a\u202Eb')],
  ['nesting-too-deep', onePrompt(deep(101), '{ a: boolean }')],
  ['escape-of-variable', onePrompt('\\{a} {a}', '{ a: text }')],
  ['name-unknown', onePrompt('{titel}', '{ title: text }')],
  ['field-unknown', onePrompt('{r.b}', '{ r: { type: record, fields: { a: text } } }')],
  ['step-invalid', onePrompt('{a.b}', '{ a: text }')],
  ['format-unknown', onePrompt('{a as uper}', '{ a: text }')],
  ['format-invalid', onePrompt('{a as sum}', '{ a: text }')],
  ['format-argument', onePrompt('{a as words}', '{ a: text }')],
  ['types-incompatible', onePrompt('{when a is 3}x{end}', '{ a: text }')],
  ['option-unknown', onePrompt('{when a is "z"}x{end}', '{ a: { type: choice, of: [x, y] } }')],
  ['each-invalid', onePrompt('{each x in a}{x}{end}', '{ a: text }')],
  ['name-shadowed', onePrompt('{each a in l}{a}{end}{a}', '{ a: text, l: list of text }')],
  ['foreign-word', onePrompt('~ if a\nx\n~ endif', '{ a: boolean }')],
  ['directive-tight', onePrompt('~use a', '{}')],
  [
    'default-hides',
    onePrompt('{a}\n~ use s', '{ a: text }', { 'snippets/s.yaml': 'variables: { a: { type: text, default: x } }\ntext: "{a}"' }),
  ],
  ['text-cut', { 'personas/p.yaml': 'who: You are curator #1 of the house.' }],
  ['key-inapplicable', onePrompt('{a}', '{ a: { type: integer, max-words: 3 } }')],
  ['variable-unused', onePrompt('x', '{ a: text }')],
  ['part-name-taken', assembly('a: { prompt: plain }')],
  ['part-cycle', assembly('p: { prompt: fence, with: { b: q } }, q: { prompt: fence, with: { b: p } }')],
  ['part-untrusted', assembly('p: { prompt: plain }, q: { prompt: take, with: { b: p } }')],
  ['part-otherwise', assembly('p: { prompt: list, when: a is not empty, otherwise: a }', 'text: "{a} {p.points as count}"')],
  ['part-key-unused', assembly('p: { prompt: plain, distinct: true }', PLACED)],
  ['part-score-missing', assembly('p: { prompt: plain, candidates: 2, choose: { prompt: list } }', PLACED)],
  ['part-score-blind', assembly('p: { prompt: plain, candidates: 2, choose: { prompt: score } }', PLACED)],
  ['part-unused', assembly('p: { prompt: plain }')],
  ['use-unknown', onePrompt('~ use nothing')],
  ['use-cycle', onePrompt('~ use a', '{}', { 'snippets/a.md': '~ use b', 'snippets/b.md': '~ use a' })],
  ['use-too-deep', onePrompt('~ use s0', '{}', { ...chain(40), 'snippets/s40.md': 'x' })],
  [
    'use-too-often',
    onePrompt('~ use s0', '{}', {
      ...Object.fromEntries(Array.from({ length: 14 }, (_, i) => [`snippets/s${i}.md`, `~ use s${i + 1}\n~ use s${i + 1}`])),
      'snippets/s14.md': 'x',
    }),
  ],
  ['use-name-invalid', onePrompt('~ use a/{t}', '{ t: text }')],
  ['use-nothing', onePrompt('~ use persona')],
  ['with-unknown', onePrompt('~ use a with z = 1', '{}', { 'snippets/a.md': 'x' })],
  ['with-missing', onePrompt('~ use a', '{}', { 'snippets/a.yaml': 'variables: { z: text }\ntext: "{z}"' })],
  [
    'with-optional',
    onePrompt('~ use a with z = o', '{ o: { type: text, optional: true } }', { 'snippets/a.yaml': 'variables: { z: text }\ntext: "{z}"' }),
  ],
  ['with-invalid', onePrompt('~ use a with z = 1', '{}', { 'snippets/a.yaml': 'variables: { z: text }\ntext: "{z}"' })],
  ['fence-unknown', onePrompt('{fence.a}')],
  ['untrusted-unfenced', onePrompt('{a}', '{ a: { type: text, untrusted: true } }')],
  ['fence-not-alone', onePrompt('x {a as fenced}', '{ a: text }')],
  ['fence-tag-invalid', onePrompt('{a as fenced "two words"}', '{ a: text }')],
  ['fence-misplaced', onePrompt('{a as fenced as upper}', '{ a: text }')],
  ['yaml-invalid', { 'prompts/p.yaml': 'title: [T' }],
  ['key-unknown', prompt(`abuot: x\n${TURN}`)],
  ['key-dropped', prompt(`version: 3\n${TURN}`)],
  ['key-missing', { 'prompts/p.yaml': TURN }],
  ['key-invalid', prompt(`tags: one\n${TURN}`)],
  ['type-unknown', onePrompt('{a}', '{ a: txet }')],
  ['bounds-contradict', onePrompt('{a}', '{ a: { type: integer, min: 5, max: 2 } }')],
  ['default-invalid', onePrompt('{a}', '{ a: { type: integer, default: x } }')],
  ['name-invalid', { 'prompts/two words.yaml': `title: T\n${TURN}` }],
  ['name-clash', { 'snippets/a.md': 'x', 'snippets/a.yaml': 'text: x' }],
  ['name-case-clash', { 'snippets/a.md': 'x', 'snippets/A.md': 'x' }],
  ['name-taken', { 'snippets/output.md': 'x' }],
  ['folder-unknown', { 'promts/a.yaml': 'title: T' }],
  ['text-folded', { 'prompts/p.yaml': 'title: T\nturns:\n  - user: >\n      ~ when a\n      x\n      ~ end\n' }],
  ['base-cycle', { 'prompts/a.yaml': 'title: A\nbased-on: b', 'prompts/b.yaml': 'title: B\nbased-on: a' }],
  ['bind-unknown', { 'prompts/a.yaml': `title: A\n${TURN}`, 'prompts/b.yaml': 'title: B\nbased-on: a\nbind: { z: x }' }],
  [
    'bind-invalid',
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
  ['attach-invalid', prompt('variables: { t: text }\nturns: [{ user: "{t}", attach: [t] }]')],
  ['attach-missing', prompt('turns: [{ user: Go., attach: [../data/guide.md] }]')],
  ['history-invalid', prompt('variables: { h: text }\nturns: [{ history: h }, { user: Go. }]')],
  ['history-unfenced', prompt('variables: { h: { type: turns, untrusted: true } }\nturns: [{ history: h }, { user: Go. }]')],
  ['path-leaves-library', { 'examples/s.yaml': `${SET}from: ../../else.csv` }],
  ['cases-missing', { 'examples/s.yaml': `${SET}from: ../data/cases.csv` }],
  ['pick-invalid', { 'examples/s.yaml': `${SET}pick: { by: liking }` }],
  ['budget-uncounted', { 'examples/s.yaml': `${SET}pick: { budget: 600 tokens }` }],
  ['pick-without-record', prompt('turns: [{ examples: s }, { user: Go. }]', { 'examples/s.yaml': `${SET}pick: { by: likeness }` })],
  ['expected-without-beginning', prompt('variables: { n: text }\nturns: [{ input: s, begin-answer: true }]', { 'examples/s.yaml': SET })],
  [
    'expected-form-invalid',
    prompt('output: o\nturns: [{ examples: s }, { user: Go. }]', {
      'outputs/o.yaml': 'kind: one-of\nof: [a, b]',
      'examples/s.yaml': SET.replace('expected: "{g}"', 'expected-form: output'),
    }),
  ],
  ['started-answer-space', prompt('turns: [{ user: Go. }, { assistant: "Grade: " }]')],
  ['case-invalid', { 'examples/s.yaml': `${SET}cases: [{ n: one }]` }],
  [
    'case-unreadable',
    prompt('output: o\nturns: [{ examples: s }, { user: Go. }]', {
      'outputs/o.yaml': 'kind: one-of\nof: [a, b]',
      'examples/s.yaml': `${SET}cases: [{ n: one, g: z }]`,
    }),
  ],
  ['setting-invalid', prompt(`settings: { temperature: hot }\n${TURN}`)],
  ['setting-misspelt', prompt(`settings: { temprature: 0 }\n${TURN}`)],
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
  ['value-invalid', onePrompt('{a}', '{ a: integer }'), { a: 'x' }],
  ['value-bounds', onePrompt('{a}', '{ a: { type: integer, max: 3 } }'), { a: 4 }],
  ['step-not-found', onePrompt('{r.a}', '{ r: record }'), { r: {} }],
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
  'callers-invalid': 'packages/serve/src/callers/callers.test.ts',
  'state-taken': 'packages/serve/src/service.test.ts',
  'text-trusted': 'packages/serve/src/service.test.ts',
  'audit-key-missing': 'packages/node/src/audit/audit.test.ts',
  'audit-line-altered': 'packages/node/src/audit/audit.test.ts',
  'audit-lines-missing': 'packages/node/src/audit/audit.test.ts',
  'audit-torn': 'packages/node/src/audit/audit.test.ts',
  'audit-clock-back': 'packages/node/src/audit/audit.test.ts',
  'checkpoint-invalid': 'packages/node/src/audit/audit.test.ts',
  'checkpoint-unsent': 'packages/node/src/audit/audit.test.ts',
  'reference-invalid': 'packages/core/src/editions/editions.test.ts',
  'edition-unknown': 'packages/cli/src/production.test.ts',
  'channel-unknown': 'packages/cli/src/production.test.ts',
  'edition-altered': 'packages/node/src/editions/editions.test.ts',
  'edition-twice': 'packages/node/src/editions/editions.test.ts',
  'edition-unapproved': 'packages/node/src/editions/editions.test.ts',
  'edition-required': 'packages/node/src/editions/editions.test.ts',
  'edition-revoked': 'packages/node/src/editions/editions.test.ts',
  'edition-secret': 'packages/node/src/editions/editions.test.ts',
  'statement-invalid': 'packages/node/src/editions/editions.test.ts',
  'approvers-invalid': 'packages/node/src/editions/editions.test.ts',
  'approvers-unpinned': 'packages/node/src/editions/editions.test.ts',
  'channels-invalid': 'packages/node/src/editions/editions.test.ts',
  'channels-rolled-back': 'packages/node/src/editions/editions.test.ts',
  'channels-expired': 'packages/node/src/editions/editions.test.ts',
  'id-missing': 'packages/node/src/editions/editions.test.ts',
  'publish-errors': 'packages/node/src/editions/editions.test.ts',
  'publish-uncommitted': 'packages/node/src/editions/editions.test.ts',
  'key-unusable': 'packages/node/src/editions/editions.test.ts',
  'key-unlisted': 'packages/node/src/editions/editions.test.ts',
  'signature-useless': 'packages/node/src/editions/editions.test.ts',
  'git-unusable': 'packages/node/src/editions/history.test.ts',
  'revision-unknown': 'packages/node/src/editions/history.test.ts',
  'revision-without': 'packages/node/src/editions/history.test.ts',
  'history-shallow': 'packages/node/src/editions/history.test.ts',
  'editions-busy': 'packages/node/src/editions/editions.load.test.ts',
  'model-unknown': 'packages/cli/src/ask.test.ts',
  'screen-found': 'packages/cli/src/screens.test.ts',
  'model-key-invalid': 'packages/cli/src/ask.test.ts',
  'environment-missing': 'packages/cli/src/ask.test.ts',
  'model-without-answer': 'packages/cli/src/ask.test.ts',
  'model-unreachable': 'packages/cli/src/ask.test.ts',
  'retry-after-too-long': 'packages/node/src/ask/asking.test.ts',
  'internal-error': 'packages/node/src/node.test.ts',
  'pipe-waits': 'packages/cli/src/smoke.test.ts',
  'row-too-deep': 'packages/node/src/node.test.ts',
  'answer-refused': 'packages/cli/src/asking.load.test.ts',
  'answer-not-found': 'packages/cli/src/ask.test.ts',
  'mock-answers': 'packages/cli/src/ask.test.ts',
  'answer-line-broken': 'packages/node/src/ask/answer-log.test.ts',
  'record-undeclared': 'packages/core/src/batches/batches.test.ts',
  'column-unknown': 'packages/core/src/batches/batches.test.ts',
  'join-several': 'packages/core/src/batches/batches.test.ts',
  'join-row-invalid': 'packages/core/src/batches/batches.test.ts',
  'join-none': 'packages/core/src/batches/batches.test.ts',
  'record-unnamed': 'packages/core/src/batches/batches.test.ts',
  'join-unequal': 'packages/core/src/batches/batches.test.ts',
  'join-name-duplicate': 'packages/core/src/batches/batches.test.ts',
  'envelope-loses-parts': 'packages/core/src/batches/batches.test.ts',
  'envelope-name-unknown': 'packages/core/src/batches/batches.test.ts',
  'line-unreadable': 'packages/tables/src/tables.test.ts',
  'line-too-long': 'packages/tables/src/tables.test.ts',
  'row-not-record': 'packages/tables/src/tables.test.ts',
  'encoding-guessed': 'packages/tables/src/tables.test.ts',
  'row-too-long': 'packages/tables/src/tables.test.ts',
  'table-format-unknown': 'packages/node/src/node.test.ts',
  'sheet-unknown': 'packages/node/src/node.test.ts',
  'heading-merged': 'packages/node/src/node.test.ts',
  'query-invalid': 'packages/node/src/node.test.ts',
  'record-id-duplicate': 'packages/cli/src/run.test.ts',
  'output-ending': 'packages/cli/src/run.test.ts',
  'output-exists': 'packages/cli/src/run.test.ts',
  'sheet-too-long': 'packages/cli/src/run.test.ts',
  'record-path-invalid': 'packages/cli/src/run.test.ts',
  'record-path-duplicate': 'packages/cli/src/run.test.ts',
  'run-unreadable': 'packages/cli/src/resume.test.ts',
  'run-changed': 'packages/cli/src/resume.test.ts',
  'run-active': 'packages/cli/src/resume.test.ts',
  'run-finished': 'packages/cli/src/resume.test.ts',
  'budget-exceeded': 'packages/cli/src/run.test.ts',
  'case-row-invalid': 'packages/core/src/examples/sets.test.ts',
  'label-without-case': 'packages/core/src/examples/sets.test.ts',
  'labels-unbalanced': 'packages/core/src/examples/sets.test.ts',
  'cases-contradict': 'packages/core/src/examples/sets.test.ts',
  'cases-alike': 'packages/core/src/examples/sets.test.ts',
  'case-long': 'packages/core/src/examples/sets.test.ts',
  'expected-not-readable': 'packages/core/src/examples/sets.test.ts',
  'picked-few': 'packages/core/src/examples/picking.test.ts',
  'artefact-unused': 'packages/core/src/library/graph.test.ts',
  'attachment-over-limit': 'packages/core/src/render/parts.test.ts',
  'attachment-without-text': 'packages/core/src/render/parts.test.ts',
  'wordings-over-limit': 'packages/core/src/render/wordings.test.ts',
  'passage-unreadable': 'packages/core/src/outputs/definitions.test.ts',
  'passage-none': 'packages/core/src/outputs/definitions.test.ts',
  'passage-duplicate': 'packages/core/src/outputs/definitions.test.ts',
  'passage-in-each': 'packages/core/src/outputs/definitions.test.ts',
  'passages-touch': 'packages/core/src/outputs/definitions.test.ts',
  'label-invalid': 'packages/core/src/outputs/definitions.test.ts',
  'labels-missing': 'packages/core/src/outputs/definitions.test.ts',
  'output-contradicts': 'packages/core/src/outputs/definitions.test.ts',
  'schema-invalid': 'packages/core/src/outputs/definitions.test.ts',
  'schema-unchecked': 'packages/core/src/outputs/definitions.test.ts',
  'pattern-refused': 'packages/core/src/outputs/definitions.test.ts',
  'bound-invalid': 'packages/core/src/outputs/definitions.test.ts',
  'sample-impossible': 'packages/core/src/outputs/replies.test.ts',
  'reply-empty': 'packages/core/src/outputs/replies.test.ts',
  'reply-over-limit': 'packages/core/src/outputs/replies.test.ts',
  'reply-without-json': 'packages/core/src/outputs/replies.test.ts',
  'reply-cut-off': 'packages/core/src/outputs/replies.test.ts',
  'reply-field-missing': 'packages/core/src/outputs/replies.test.ts',
  'reply-field-invalid': 'packages/core/src/outputs/replies.test.ts',
  'reply-label-unknown': 'packages/core/src/outputs/replies.test.ts',
  'reply-labels-several': 'packages/core/src/outputs/replies.test.ts',
  'reply-row-invalid': 'packages/core/src/outputs/replies.test.ts',
  'reply-rows-count': 'packages/core/src/outputs/replies.test.ts',
  'reply-passage-missing': 'packages/core/src/outputs/replies.test.ts',
  'reply-passage-invalid': 'packages/core/src/outputs/replies.test.ts',
  'reply-fixed-changed': 'packages/core/src/outputs/replies.test.ts',
  'reply-fixed-missing': 'packages/core/src/outputs/replies.test.ts',
  'reply-text-missing': 'packages/core/src/outputs/replies.test.ts',
  'reply-text-forbidden': 'packages/core/src/outputs/replies.test.ts',
  'reply-schema-invalid': 'packages/core/src/outputs/replies.test.ts',
  'reply-not-exact': 'packages/core/src/outputs/replies.test.ts',
  'reply-repaired': 'packages/core/src/outputs/replies.test.ts',
  'reply-row-unknown': 'packages/cli/src/read.test.ts',
  'reply-duplicate': 'packages/cli/src/read.test.ts',
  'reply-missing': 'packages/cli/src/read.test.ts',
  'reply-unsupported': 'packages/core/src/outputs/truth.test.ts',
  'reply-from-example': 'packages/core/src/outputs/truth.test.ts',
  'reply-citation-unknown': 'packages/core/src/outputs/replies.test.ts',
  'reply-citation-unused': 'packages/core/src/outputs/replies.test.ts',
  'reply-words': 'packages/core/src/outputs/replies.test.ts',
  'reply-items-alike': 'packages/core/src/values/likeness.test.ts',
  'encoding-unknown': 'packages/cli/src/encoding.test.ts',
  'only-mentioned': 'packages/core/src/library/turns.test.ts',
  'foreign-slot': 'packages/core/src/library/turns.test.ts',
  'expected-other-form': 'packages/cli/src/mistakes.test.ts',
  'set-invalid': 'packages/cli/src/mistakes.test.ts',
  'output-twice': 'packages/cli/src/mistakes.test.ts',
  'folder-taken': 'packages/cli/src/new.test.ts',
  'rows-rejected': 'packages/cli/src/mistakes.test.ts',
  'rows-unfit': 'packages/cli/src/mistakes.test.ts',
  'flatten-invalid': 'packages/cli/src/flatten.test.ts',
  'flatten-lists': 'packages/cli/src/flatten.test.ts',
  'cell-file': 'packages/cli/src/file-cells.test.ts',
  'history-over-budget': 'packages/core/src/library/turns.test.ts',
  'reply-copied': 'packages/core/src/outputs/truth.test.ts',
  'output-unknown': 'packages/core/src/code/code.test.ts',
  'schema-not-convertible': 'packages/core/src/interop/schema.test.ts',
  'prompt-unknown': 'packages/core/src/library/library.test.ts',
  'heading-missing': 'packages/core/src/values/row.test.ts',
  'heading-unused': 'packages/core/src/values/row.test.ts',
  'heading-duplicate': 'packages/core/src/values/row.test.ts',
  'cell-invalid': 'packages/core/src/values/row.test.ts',
  'cell-missing': 'packages/core/src/values/row.test.ts',
  'row-ragged': 'packages/core/src/values/row.test.ts',
  'quote-open': 'packages/tables/src/tables.test.ts',
  'not-text': 'packages/tables/src/tables.test.ts',
  'table-empty': 'packages/tables/src/tables.test.ts',
  'file-unreadable': 'packages/node/src/node.test.ts',
  'session-spent': 'test/desk-ask.test.ts',
  'record-ids-unfit': 'packages/cli/src/detail.test.ts',
  'record-unknown': 'packages/cli/src/cli.test.ts',
  'run-without-answers': 'packages/cli/src/review.test.ts',
  'answer-unknown': 'packages/cli/src/review.test.ts',
  'part-unknown': 'packages/cli/src/review.test.ts',
  'assembly-unknown': 'packages/core/src/library/assembly.test.ts',
  'part-failed': 'packages/cli/src/assembly.test.ts',
  'part-waiting': 'packages/cli/src/assembly.test.ts',
  'part-out-of-date': 'packages/cli/src/assembly.test.ts',
  'part-not-ready': 'packages/cli/src/assembly.test.ts',
  'models-differ': 'packages/cli/src/assembly.test.ts',
  'document-only': 'packages/cli/src/assembly.test.ts',
  'history-missing': 'packages/core/src/library/conversation.test.ts',
  'collect-few': 'packages/cli/src/collect.test.ts',
  'answer-column-unknown': 'packages/cli/src/collect.test.ts',
  'over-invalid': 'packages/cli/src/collect.test.ts',
}

describe('problem codes', () => {
  test.each(CASES)('%s is raised', (code, files, ...[values]) => {
    const problems = problemsOf(files, values)
    expect(problems.map((p) => p.code)).toContain(code)
    const problem = problems.find((p) => p.code === code)!
    expect(problem.message).not.toBe('')
    if (values === undefined) expect(problem.place?.file).toMatch(/^(prompts|snippets|personas|examples|outputs|promts|assemblies)\//)
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

  test('four mistakes are four problems, each with file, line, column, frame and help', () => {
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
     "prompts/label.yaml:2:1 error: unknown key "abuot" of a prompt [key-unknown]
     1 | title: Label
     2 | abuot: nothing
       | ^^^^^
     3 | variables: { title: text, room: text }
     4 | turns:
       help: did you mean "about"?

     prompts/label.yaml:6:8 error: unknown variable "titel" [name-unknown]
     4 | turns:
     5 |   - user: |
     6 |       {titel} in {room as uper}
       |        ^^^^^
     7 |       ~ use stile
       help: did you mean "title"?

     prompts/label.yaml:6:27 error: unknown format "uper" [format-unknown]
     4 | turns:
     5 |   - user: |
     6 |       {titel} in {room as uper}
       |                           ^^^^
     7 |       ~ use stile
       help: did you mean "upper"?

     prompts/label.yaml:7:13 error: unknown snippet "stile" [use-unknown]
     5 |   - user: |
     6 |       {titel} in {room as uper}
     7 |       ~ use stile
       |             ^^^^^
       help: did you mean "style"?

     snippets/style.yaml:3:5 error: unknown directive "whne" [directive-unknown]
     1 | text: |
     2 |   Be plain.
     3 |   ~ whne it rains
       |     ^^^^
       help: did you mean "when"?; for a literal line write \\~"
    `)
  })

  test('places are right in folded, quoted and plain scalars, and after line ends of any kind', () => {
    const linesOf = (yaml: string) => problemsOf({ 'prompts/p.yaml': yaml }).map((p) => [p.code, p.place?.line, p.place?.column])
    expect(linesOf('title: T\r\nturns:\r\n  - user: |\r\n      one\r\n      ä {zwei}\r\n')).toEqual([['name-unknown', 5, 10]])
    expect(linesOf('title: T\nturns:\n  - user: >-\n      one\n      two {zwei}\n\n      three {drei}\n')).toEqual([
      ['name-unknown', 5, 12],
      ['name-unknown', 7, 14],
    ])
    expect(linesOf('title: T\nturns:\n  - user: "a\\n\\u00e4 \\"b\\" {zwei}\n      c {drei}"\n')).toEqual([
      ['name-unknown', 3, 29],
      ['name-unknown', 4, 10],
    ])
    expect(linesOf("title: T\nturns:\n  - user: 'it''s {zwei}'\n")).toEqual([['name-unknown', 3, 19]])
    expect(linesOf('title: T\nturns:\n  - user: plain\n      {zwei}\n')).toEqual([['name-unknown', 4, 8]])
    expect(linesOf('title: T\nturns:\n  - user: |4\n          in\n        {zwei}\n')).toEqual([['name-unknown', 5, 10]])
  })

  test('the hint on a literal brace fits the place', () => {
    const hint = (yaml: string) => problemsOf({ 'prompts/p.yaml': yaml })[0]?.hint
    expect(hint('title: T\nturns: [{ user: "{a b}" }]')).toBe('a name has no spaces: a-b; for a literal brace write \\\\{')
    expect(hint('title: T\nturns:\n  - user: |\n      {a b}\n')).toBe('a name has no spaces: a-b; for a literal brace write \\{')
    expect(hint('title: T\nturns:\n  - user: |\n      letters: \\p{Lu}+\n')).toBe('if you meant the expression \\p{Lu}, write \\p\\{Lu}')
  })

  test('long lines are cut to a window, tabs kept', () => {
    expect(show(onePrompt(`${'word '.repeat(60)}{nobody} ${'word '.repeat(60)}`))).toMatch(/…\w* (word )+\{nobody\}.*…\n +\| +\^{6}/)
  })
})
