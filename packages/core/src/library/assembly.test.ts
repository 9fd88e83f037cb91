import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { libraryFrom, type AssemblyEvent, type Model, type ModelRequest } from 'dunelight'
import { mockModel, previewAssembly } from 'dunelight/host'

const GUIDE = {
  'prompts/title.yaml': 'title: T\nvariables: { room: text }\nturns: [{ user: "A title for {room}." }]',
  'prompts/thing.yaml':
    'title: T\nvariables: { thing: { type: record, fields: { name: text } } }\nturns: [{ user: "About {thing.name}." }]',
  'prompts/check.yaml':
    'title: T\nvariables: { text: { type: text, untrusted: true } }\noutput: points\nturns: [{ user: "Check:\\n{text as fenced}" }]',
  'prompts/better.yaml':
    'title: T\nvariables: { text: { type: text, untrusted: true }, advice: { type: list of text, untrusted: true } }\nturns: [{ user: "Better:\\n{text as fenced}\\n{advice as bullets as fenced}" }]',
  'prompts/judge.yaml':
    'title: T\nvariables: { title: { type: text, untrusted: true } }\noutput: score\nturns: [{ user: "Score:\\n{title as fenced}" }]',
  'outputs/points.yaml': 'kind: fields\nfields: { points: list of text }',
  'outputs/score.yaml': 'kind: fields\nfields: { points: integer }',
  'assemblies/guide.yaml': `title: A guide
variables: { room: text, things: { type: list of record, fields: { name: text } } }
parts:
  final:
    prompt: better
    with: { text: intro, advice: check.points }
    when: check.points is not empty
    otherwise: intro
  check: { prompt: check, with: { text: intro } }
  intro: { prompt: title, set: { room: the hall } }
  title: { prompt: title, candidates: 3, choose: { prompt: judge } }
  about: { prompt: thing, each: thing in things keep thing.name is not "none" }
text: |
  # {title}: {room}

  {final}
  ~ each a in about

  ## {a.thing.name}

  {a.answer}
  ~ end
`,
}
const VALUES = { room: 'Dairy', things: [{ name: 'Churn' }, { name: 'none' }, { name: 'Yoke' }] }

/** A model that answers by its prompt, and remembers what it was asked. */
function scripted(replies: Readonly<Record<string, (request: ModelRequest) => string>>): { model: Model; requests: ModelRequest[] } {
  const requests: ModelRequest[] = []
  const model: Model = (request) => {
    requests.push(request)
    return Promise.resolve({ text: replies[request.prompt]?.(request) ?? '', finish: 'done' })
  }
  return { model, requests }
}

const told = (request: ModelRequest) => request.turns.map(({ text }) => text).join('\n')

async function eventsOf(events: AsyncGenerator<AssemblyEvent>): Promise<AssemblyEvent[]> {
  const all: AssemblyEvent[] = []
  for await (const event of events) all.push(event)
  return all
}

const REPLIES = {
  title: (request: ModelRequest) => (told(request).includes('the hall') ? 'It is cool here.' : `Title ${request.candidate}`),
  thing: (request: ModelRequest) => `${/About (.*)\./.exec(told(request))?.[1] ?? ''} it is.`,
  check: () => '{"points":["say why"]}',
  better: () => 'It is cool here, for the milk.',
  judge: (request: ModelRequest) => `{"points":${told(request).includes('Title 2') ? 9 : 4}}`,
}

describe('an assembly', () => {
  test('asks each part after those that it needs, chooses by score, and writes the document', async () => {
    const { model, requests } = scripted(REPLIES)
    const events = await eventsOf(libraryFrom(GUIDE).assembly('guide').ask(VALUES, { model }))
    const last = events.at(-1)
    expect(last).toMatchObject({
      kind: 'document',
      text: '# Title 2: Dairy\n\nIt is cool here, for the milk.\n\n## Churn\n\nChurn it is.\n\n## Yoke\n\nYoke it is.',
      columns: {
        title: 'Title 2',
        final: 'It is cool here, for the milk.',
        about: [
          { thing: { name: 'Churn' }, answer: 'Churn it is.' },
          { thing: { name: 'Yoke' }, answer: 'Yoke it is.' },
        ],
      },
    })
    const order = requests.map(({ prompt }) => prompt)
    expect([order.indexOf('check') > order.indexOf('title'), order.indexOf('better') > order.indexOf('check')]).toEqual([true, true])
    expect(order.filter((prompt) => prompt === 'judge')).toHaveLength(3)
    expect(events.filter(({ kind }) => kind === 'answered').map((event) => 'key' in event && event.key)).toEqual(
      expect.arrayContaining(['title', 'about.1', 'about.2', 'final']),
    )
  })

  test('asks independent parts at the same time', async () => {
    let [under, most] = [0, 0]
    const model: Model = async (request) => {
      most = Math.max(most, ++under)
      await new Promise((resolve) => setTimeout(resolve, 5))
      under--
      return { text: REPLIES[request.prompt as keyof typeof REPLIES](request), finish: 'done' }
    }
    await eventsOf(libraryFrom(GUIDE).assembly('guide').ask(VALUES, { model }))
    expect(most).toBeGreaterThanOrEqual(6)
    most = 0
    await eventsOf(libraryFrom(GUIDE).assembly('guide').ask(VALUES, { model, concurrency: 2 }))
    expect(most).toBe(2)
  })

  test('leaves out a part whose condition does not hold, with what stands in for it', async () => {
    const { model, requests } = scripted({ ...REPLIES, check: () => '{"points":[]}' })
    const events = await eventsOf(libraryFrom(GUIDE).assembly('guide').ask(VALUES, { model }))
    expect(events.at(-1)).toMatchObject({ kind: 'document', columns: { final: 'It is cool here.' } })
    expect(requests.some(({ prompt }) => prompt === 'better')).toBe(false)
  })

  test('tells of a part without a usable answer, and asks what does not depend on it', async () => {
    const { model } = scripted({ ...REPLIES, check: () => 'no list' })
    const events = await eventsOf(libraryFrom(GUIDE).assembly('guide').ask(VALUES, { model, corrections: 0 }))
    expect(events.filter(({ kind }) => kind === 'failed')).toMatchObject([{ key: 'check' }])
    expect(events.some(({ kind }) => kind === 'document')).toBe(false)
    expect(events.some((event) => event.kind === 'answered' && event.key === 'about.2')).toBe(true)
  })

  test('costs in proportion to its items, asked or settled', async () => {
    const files = {
      'prompts/thing.yaml': GUIDE['prompts/thing.yaml'],
      'assemblies/a.yaml':
        'title: A\nvariables: { things: { type: list of record, fields: { name: text } } }\nparts: { about: { prompt: thing, each: thing in things } }',
    }
    const assembly = libraryFrom(files).assembly('a')
    const model: Model = () => Promise.resolve({ text: 'x', finish: 'done' })
    const cost = async (count: number, isSettled: boolean) => {
      const things = Array.from({ length: count }, (_, i) => ({ name: `Thing ${i}` }))
      const before = process.cpuUsage().user
      const events = await eventsOf(assembly.ask({ things }, { model, ...(isSettled && { settled: () => ({ answer: 'y' }) }) }))
      expect(events.at(-1)?.kind).toBe('document')
      return process.cpuUsage().user - before
    }
    await cost(200, false)
    for (const isSettled of [false, true]) expect((await cost(2400, isSettled)) / (await cost(300, isSettled))).toBeLessThan(40)
  })

  test('takes what was settled as it is, and asks nothing for it', async () => {
    const { model, requests } = scripted(REPLIES)
    const settled = ({ key }: { key: string }) => (key === 'intro' ? { answer: 'By hand.' } : undefined)
    const events = await eventsOf(libraryFrom(GUIDE).assembly('guide').ask(VALUES, { model, settled }))
    expect(events.some((event) => event.kind === 'settled' && event.key === 'intro')).toBe(true)
    expect(told(requests.find(({ prompt }) => prompt === 'check')!)).toContain('By hand.')
    expect(requests.some((request) => told(request).includes('the hall'))).toBe(false)
  })

  test('asks for more candidates where some are nearly the same, and for at most twice as many', async () => {
    const files = {
      'prompts/title.yaml': GUIDE['prompts/title.yaml'],
      'assemblies/a.yaml': 'title: A\nvariables: { room: text }\nparts: { title: { prompt: title, candidates: 3, distinct: true } }',
    }
    const ask = async (reply: (candidate: number) => string) => {
      const { model, requests } = scripted({ title: ({ candidate }) => reply(candidate) })
      await eventsOf(libraryFrom(files).assembly('a').ask({ room: 'Dairy' }, { model }))
      return requests.map(({ candidate }) => candidate)
    }
    expect(await ask((candidate) => `title number ${['seven', 'seven', 'eleven', 'thirteen'][candidate - 1]!}`)).toEqual([1, 2, 3, 4])
    expect(await ask(() => 'always the same title')).toEqual([1, 2, 3, 4, 5, 6])
    expect(await ask((candidate) => `quite another title ${candidate * 1000}`)).toEqual([1, 2, 3])
  })

  test('waits where a person has to choose', async () => {
    const files = { ...GUIDE, 'assemblies/guide.yaml': GUIDE['assemblies/guide.yaml'].replace('{ prompt: judge }', 'person') }
    const { model } = scripted(REPLIES)
    const events = await eventsOf(libraryFrom(files).assembly('guide').ask(VALUES, { model }))
    expect(events.filter(({ kind }) => kind === 'waiting')).toMatchObject([{ key: 'title', candidates: { length: 3 } }])
    expect(events.some(({ kind }) => kind === 'document')).toBe(false)
  })

  test('shows what would be sent, with samples in the place of answers', () => {
    const assembly = libraryFrom(GUIDE).assembly('guide')
    const { parts, document } = previewAssembly(assembly, assembly.input.prepare(VALUES).values)
    expect(parts.map(({ question, requests }) => [question.key, requests])).toEqual(
      expect.arrayContaining([
        ['title', 3],
        ['about.1', 1],
        ['about.2', 1],
        ['final', 1],
      ]),
    )
    expect(document.text).toContain('# [the answer of title]: Dairy'.replaceAll('[', '\\[').replaceAll(']', '\\]'))
  })

  test('is known by its name, its columns, and what a changed part leads to', () => {
    const library = libraryFrom(GUIDE)
    expect(() => library.assembly('giude')).toThrow(/unknown assembly "giude"/)
    expect(() => library.prompt('guide')).toThrow(/"guide" is an assembly, not a prompt/)
    expect([library.assemblyNames(), library.canAsk('guide'), library.canAsk('giude')]).toEqual([['guide'], true, false])
    const assembly = library.assembly('guide')
    expect(assembly.answerColumns.map(({ name }) => name)).toEqual(['document', 'final', 'check', 'intro', 'title', 'about'])
    expect(assembly.reachedBy('intro')).toEqual(['check', 'final'])
    const changed = libraryFrom({ ...GUIDE, 'prompts/thing.yaml': GUIDE['prompts/thing.yaml'].replace('About', 'Of') })
    expect(changed.assembly('guide').fingerprint).not.toBe(assembly.fingerprint)
  })

  test('reports an unknown prompt, value or field with the nearest name', () => {
    const wrong = (old: string, now: string) =>
      libraryFrom({ ...GUIDE, 'assemblies/guide.yaml': GUIDE['assemblies/guide.yaml'].replace(old, now) })
        .problems.filter(({ severity }) => severity === 'error')
        .map(({ message, hint, place }) => `${place?.line ?? 0}: ${message} (${hint ?? ''})`)
    expect(wrong('prompt: thing', 'prompt: thign')).toEqual(['12: unknown prompt "thign" (did you mean "thing"?)'])
    expect(wrong('advice: check.points', 'advice: check.poitns')).toEqual(['6: unknown field "poitns" of "check" (did you mean "points"?)'])
    expect(wrong('text: intro, advice', 'text: intro, advise')).toEqual([
      '5: the prompt "better" needs "advice" (write with: { advice: … })',
      '6: the prompt "better" has no variable "advise" (did you mean "advice"?)',
    ])
    expect(wrong('thing in things', 'thing in room')).toEqual(['12: "each" cannot repeat for "room", which is text ()'])
    expect(wrong('candidates: 3', 'candidates: 33')).toEqual(['11: "candidates" must be a whole number from 1 to 20, not 33 ()'])
  })

  test('takes no envelope from a batch: its line would have no turns', () => {
    const files = {
      ...GUIDE,
      'envelopes/e.yaml': 'line: { t: "{turns}" }',
      'batches/b.yaml': 'prompt: guide\nrecords: { from: ../data/x.csv, as: room }\nenvelope: e\n',
    }
    const codes = libraryFrom(files)
      .problems.filter(({ severity }) => severity === 'error')
      .map(({ code }) => code)
    expect(codes).toEqual(['record-undeclared', 'key-inapplicable'])
  })

  test('looks at the values of each question once, however many there are', () => {
    const assembly = libraryFrom(GUIDE).assembly('guide')
    const things = Array.from({ length: 300 }, (_, i) => ({ name: `Thing ${i}` }))
    const { questions } = assembly.questions({ room: 'Dairy', things }, new Map([['about.7', 'x']]))
    expect(questions.filter(({ part }) => part.name === 'about')).toHaveLength(300)
    expect(questions.find(({ key }) => key === 'about.7')?.prepared?.values).toEqual({ thing: { name: 'Thing 6' } })
  })

  test('asks the mock model whose answers follow from their questions alone', async () => {
    const ask = async () =>
      (
        await eventsOf(
          libraryFrom(GUIDE)
            .assembly('guide')
            .ask(VALUES, { model: mockModel({ delay: 0 }) }),
        )
      ).at(-1)
    expect(await ask()).toEqual(await ask())
  })
})

test('parts that need each other in any order are asked after what they need; a cycle is one problem, with the way around it', async () => {
  const graph = fc.array(fc.array(fc.nat(9), { maxLength: 3 }), { minLength: 1, maxLength: 8 })
  await fc.assert(
    fc.asyncProperty(graph, fc.boolean(), async (needs, mayCircle) => {
      const names = needs.map((_, i) => `p${i}`)
      // Each part refers to some others; without a cycle only to those with a higher number, which stand behind it.
      const others = needs.map((own, i) => [...new Set(own.map((n) => n % needs.length))].filter((n) => (mayCircle ? n !== i : n > i)))
      const files = Object.fromEntries(
        names.map((name, i) => {
          const variables = (others[i] ?? []).map((n) => `p${n}: { type: text, untrusted: true }`).join(', ')
          const texts = (others[i] ?? []).map((n) => `{p${n} as fenced}`).join('\\n')
          return [`prompts/${name}.yaml`, `title: T\nvariables: { ${variables} }\nturns: [{ user: "${name}\\n${texts}" }]`]
        }),
      )
      const parts = names.map((name) => `${name}: { prompt: ${name} }`).join(', ')
      const text = names.map((name) => `{${name}}`).join(' ')
      const library = libraryFrom({ ...files, 'assemblies/a.yaml': `title: A\nparts: { ${parts} }\ntext: "${text}"` })
      const errors = library.problems.filter(({ severity }) => severity === 'error')
      const reaches = (from: number, to: number, seen = new Set<number>()): boolean =>
        (others[from] ?? []).some((next) => next === to || (!seen.has(next) && reaches(next, to, seen.add(next))))
      if (names.some((_, i) => reaches(i, i))) {
        expect(errors.map(({ code }) => code)).toEqual(['part-cycle'])
        return
      }
      expect(errors).toEqual([])
      const asked: string[] = []
      const model: Model = async ({ prompt }) => {
        for (const n of others[Number(prompt.slice(1))] ?? []) expect(asked).toContain(`p${n}`)
        await Promise.resolve()
        asked.push(prompt)
        return { text: prompt, finish: 'done' }
      }
      const events = await eventsOf(library.assembly('a').ask({}, { model }))
      expect(events.at(-1)).toMatchObject({ kind: 'document', text: names.join(' ') })
      expect(asked.toSorted()).toEqual(names)
    }),
    { numRuns: 60 },
  )
})

test('a problem code of an unknown assembly', () => {
  const thrown = (() => {
    try {
      return libraryFrom(GUIDE).assembly('none')
    } catch (fault) {
      return fault as { problems: { code: string }[] }
    }
  })()
  expect(thrown).toMatchObject({ problems: [{ code: 'assembly-unknown' }] })
})
