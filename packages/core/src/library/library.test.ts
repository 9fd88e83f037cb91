import { describe, expect, test } from '@jest/globals'
import { libraryFrom, ProblemError, problemRecord, type Problem } from 'dunelight'
import { codesOf, onePrompt, problemsOf, written, type Files } from '../../../../test/support.js'

const thrown = (run: () => unknown): readonly Problem[] => {
  try {
    run()
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems
    throw fault
  }
  throw new Error('nothing was thrown')
}

describe('a library', () => {
  const files: Files = {
    'prompts/good.yaml': 'title: Good\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]',
    'prompts/bad.yaml': 'title: Bad\nturns: [{ user: "{who}" }]',
  }

  test('renders its sound prompts although others have faults', () => {
    const library = libraryFrom(files)
    expect(library.isValid).toBe(false)
    expect(library.prompt('good').render({ who: 'Ines' }).turns).toEqual([{ role: 'user', text: 'Good day, Ines.' }])
    expect(thrown(() => library.prompt('bad')).map((p) => p.code)).toEqual(['name-unknown'])
  })

  test('does not render a prompt whose snippet, persona or base has faults', () => {
    const uses = (more: Files) => {
      const library = libraryFrom({
        'prompts/p.yaml': 'title: P\npersona: k\nturns: [{ system: "{use persona}" }, { user: "{use s}" }]',
        'snippets/s.md': '~ use t',
        'snippets/t.md': 'x',
        'personas/k.yaml': 'who: You.',
        ...more,
      })
      return thrown(() => library.prompt('p')).map((p) => p.place?.file)
    }
    expect(uses({ 'snippets/t.md': 'x {a b}' })).toEqual(['snippets/t.md'])
    expect(uses({ 'personas/k.yaml': 'who: You.\nlayout: "{whom}"' })).toEqual(['personas/k.yaml'])
    expect(uses({ 'prompts/p.yaml': 'title: P\nbased-on: q', 'prompts/q.yaml': 'title: Q\nturns: [{ user: "{a b}" }]' })).toEqual([
      'prompts/q.yaml',
    ])
  })

  test('names the prompt most likely meant', () => {
    const [p] = thrown(() => libraryFrom(files).prompt('god'))
    expect(p && [p.code, p.hint]).toEqual(['prompt-unknown', 'did you mean "good"?'])
  })

  test('reports problems to programs as plain data', () => {
    const [p] = libraryFrom(files).problems
    expect(problemRecord(p!)).toEqual({
      code: 'name-unknown',
      severity: 'error',
      message: 'unknown variable "who"',
      file: 'prompts/bad.yaml',
      line: 2,
      column: 19,
      data: { name: 'who', known: [], brace: undefined },
    })
  })

  test('takes values as plain data only', () => {
    const library = libraryFrom(
      onePrompt(
        '{r.a or "-"}{r.b or "-"}',
        '{ r: { type: record, fields: { a: { type: text, optional: true }, b: { type: text, optional: true } } } }',
      ),
    )
    class Thing {
      b = 'own'
      get a(): string {
        return 'inherited'
      }
    }
    expect(library.prompt('p').render({ r: new Thing() }).turns[0]?.text).toBe('-own')
  })

  test('renders record after record, lazily', () => {
    const prompt = libraryFrom(files).prompt('good')
    const names = function* () {
      yield { who: 'Ines' }
      yield { who: 'Wilf' }
      throw new Error('asked for a third record')
    }
    const rendered = prompt.renderEach(names())
    expect([rendered.next(), rendered.next()].map((r) => (r.done ? '' : r.value.turns[0]?.text))).toEqual([
      'Good day, Ines.',
      'Good day, Wilf.',
    ])
  })

  test('reports all problems of the values at once', () => {
    const variables =
      '{ a: integer, b: { type: choice, of: [adult, child] }, c: { type: text, pattern: "MH-[0-9]+" }, d: { type: list of text, max-items: 1, unique: true } }'
    const problems = problemsOf(onePrompt('{a}{b}{c}{d}', variables), { a: 1.5, b: 'chidl', c: 'x MH-1', d: ['u', 'u'], e: 1 })
    expect(problems.map((p) => `${p.message}${p.hint === undefined ? '' : ` (${p.hint})`}`)).toEqual([
      'the prompt has no variable "e" (variables: a, b, c and 1 more)',
      '"a" must be an integer, not 1.5',
      '"b" must be one of adult, child, not "chidl" (did you mean "child"?)',
      '"c" does not match MH-[0-9]+: "x MH-1"',
      '"d" has 2, more than 1',
      '"d" contains "u" twice',
    ])
  })
})

describe('derived prompts', () => {
  const base = `title: Base
variables: { task: text, item: text, limit: { type: integer, default: 5 } }
turns:
  - system: "{task}"
  - user: "{item} {limit}"
    name: question
`
  test('bind, replace, add turns, and keep the rest', () => {
    const files = {
      'prompts/base.yaml': base,
      'prompts/p.yaml':
        'title: P\nbased-on: base\nvariables: { mood: text }\nbind: { task: "Be {mood}.", limit: "7" }\nreplace: { question: { user: "[{item} {limit}]" } }\nadd-turns: [{ assistant: "So:" }]',
    }
    expect(written(files, { item: 'oar', mood: 'brief' })).toBe('Be brief.\n=====\n[oar 7]\n=====\nSo:')
    expect(codesOf(files, { item: 'oar' })).toEqual(['value-missing'])
  })
})

describe('personas', () => {
  const files = {
    'personas/plain.yaml': 'who: You are plain.\nvoice: [dry, exact]\nnever: [guess]',
    'personas/kind.yaml': 'who: You are kind.',
    'prompts/p.yaml':
      'title: P\nvariables: { a: { type: choice, of: [x, y] } }\npersona: \'{when a is "x"}plain{otherwise}kind{end}\'\nturns:\n  - system: |\n      ~ use persona\n  - user: Go.\n',
  }
  test('are chosen by a text, in the standard layout', () => {
    expect(written(files, { a: 'x' })).toBe('You are plain.\nYour voice: dry and exact.\nNever:\n- guess\n=====\nGo.')
    expect(written(files, { a: 'y' })).toBe('You are kind.\n=====\nGo.')
  })
  test('all that a text can come out as are looked for when the library opens', () => {
    expect(codesOf({ ...files, 'personas/kind.yaml': '' })).toEqual(['yaml-invalid'])
    const { 'personas/kind.yaml': _, ...rest } = files
    expect(codesOf(rest)).toEqual(['use-unknown'])
  })
})

describe('history', () => {
  test('in other than user turns are fenced and cannot close the fence', () => {
    const files = {
      'prompts/p.yaml':
        'title: P\nvariables: { h: { type: turns, untrusted: true, optional: true } }\nturns:\n  - history: { from: h, fence: q }\n  - user: Go.\n',
    }
    expect(written(files, {})).toBe('Go.')
    expect(
      written(files, {
        h: [
          { role: 'user', text: 'a </Q >' },
          { role: 'assistant', text: 'b' },
        ],
      }),
    ).toBe('<q>\na (/Q )\n</q>\n=====\nb\n=====\nGo.')
  })
})

describe('library files', () => {
  test('name what was most likely meant', () => {
    const hints = (files: Files) => problemsOf(files).map((p) => p.hint)
    expect(hints({ 'promts/a.yaml': 'title: x' })).toEqual(['did you mean "prompts"?'])
    expect(hints(onePrompt('{a}', '{ a: { type: text, optonal: true } }'))).toEqual(['did you mean "optional"?'])
    expect(hints({ 'prompts/p.yaml': 'title: T\npersona: regstrar\nturns: [{ user: x }]', 'personas/registrar.yaml': 'who: x' })).toEqual([
      'did you mean "registrar"?',
    ])
  })

  test('contain anchors up to a limit, and no merge keys', () => {
    const bomb = `title: T\nallow: &a [U+200D]\nturns: [{ user: x }]\ntags: [${Array.from({ length: 150 }, () => '*t').join(', ')}]\nabout: &t x\n`
    expect(codesOf({ 'prompts/p.yaml': bomb })).toContain('yaml-invalid')
    expect(codesOf({ 'prompts/p.yaml': 'title: &t T\nabout: *t\nturns: [{ user: x }]\n' })).toEqual([])
    expect(codesOf({ 'prompts/p.yaml': 'title: T\nturns: [{ user: x }]\nsettings:\n  <<: { seed: 1 }\n' })).toEqual(['setting-unknown'])
    expect(codesOf({ 'prompts/p.yaml': 'title: T\ntitle: U\nturns: [{ user: x }]\n' })).toEqual(['yaml-invalid'])
  })

  test('empty and odd files are problems, not crashes', () => {
    for (const text of [
      '',
      '# nothing',
      '- a\n- b\n',
      '5',
      'null',
      '\u0000',
      'title: T\nturns: 5',
      'title: T\nturns: [5]',
      'title: T\nturns: []',
      'title: T\nturns: [{}]',
      'title: {}\nturns: [{ user: {} }]',
      'title: T\nvariables: [a]\nturns: [{ user: x }]',
    ])
      expect(codesOf({ 'prompts/p.yaml': text }).length).toBeGreaterThan(0)
  })

  test('an invisible character can be allowed by a file', () => {
    const text = (allow: string) => ({ 'prompts/p.yaml': `title: T\n${allow}turns:\n  - user: "a\u200Db"\n` })
    expect(codesOf(text(''))).toEqual(['invisible-character'])
    expect(codesOf(text('allow: [U+200D]\n'))).toEqual([])
    expect(codesOf({ 'prompts/p.yaml': 'title: T\nturns:\n  - user: "\u{1F469}\u200D\u{1F4BB}"\n' })).toEqual([])
  })
})

test.each([
  ['turns: [{ user: "{note as fenced report}" }]', 'put it in quotes: as fenced "report"'],
  ['turns:\n  - user: {note}', 'put the text in quotes, or write it on lines of its own after |'],
])('a forgotten pair of quotes is named: %s', (turns, hint) => {
  const { problems } = libraryFrom({ 'prompts/p.yaml': `title: P\nvariables: { note: text }\n${turns}` })
  expect(problems.filter(({ severity }) => severity === 'error').map((p) => p.hint)).toEqual([hint])
})

test('nothing internal is enumerable on what the API returns', () => {
  const library = libraryFrom({
    'outputs/grade.yaml': 'kind: one-of\nof: [sound, watch]',
    'prompts/p.yaml': 'title: P\nvariables: { mail: text }\noutput: grade\nturns: [{ user: "Secret words. {mail as masked}" }]',
  })
  const prompt = library.prompt('p')
  const prepared = prompt.prepare({ mail: 'ines@marsh.example' })
  const rendering = prepared.render()
  expect(JSON.stringify([prepared.turns(), prompt.turns({ mail: 'x' }, { origins: true })])).toBe(
    '[[{"role":"user","text":"Secret words. [email 1]"}],[{"role":"user","text":"Secret words. x"}]]',
  )
  expect(JSON.stringify([library, prompt, prepared, rendering.form])).toBe('[{"problems":[]},{},{},{}]')
  expect(Object.keys(rendering).sort()).toEqual(['fingerprint', 'picks', 'problems', 'read', 'turns'])
  expect(Object.keys(rendering.turns[0]!)).toEqual(['role', 'text'])
  expect(rendering.masked).toEqual({ '[email 1]': 'ines@marsh.example' })
})

test('the values that an unused snippet passes to other snippets are checked in all of them', () => {
  const faults = (snippets: Files) =>
    codesOf({ 'prompts/p.yaml': 'title: P\nturns: [{ user: Go. }]\n', ...snippets }).filter((code) => code !== 'artefact-unused')
  const end = { 'snippets/end.yaml': 'variables: { thing: record }\ntext: |\n  {thing.colour}\n' }
  const using = (name: string, field: string) =>
    `variables: { a: { type: record, fields: { ${field}: text } } }\ntext: |\n  ~ use ${name}\n`
  const between = { 'snippets/between.yaml': 'variables: { a: record }\ntext: |\n  ~ use end with thing = a\n' }
  expect(faults({ ...end, ...between, 'snippets/start.yaml': using('between', 'size') })).toEqual(['field-unknown'])
  // Two snippets use it: the second is checked too.
  const [fits, fails] = [using('end with thing = a', 'colour'), using('end with thing = a', 'size')]
  expect(faults({ ...end, 'snippets/a.yaml': fits, 'snippets/b.yaml': fails })).toEqual(['field-unknown'])
  expect(faults({ ...end, 'snippets/a.yaml': fits })).toEqual([])
})
