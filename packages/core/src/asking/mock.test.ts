import { describe, expect, test } from '@jest/globals'
import { libraryFrom, ModelFault, type ModelRequest } from 'dunelight'
import { mockReplies, MOCK_FAULTS, mockModel, type MockFault } from 'dunelight/host'

const library = libraryFrom({
  'outputs/card.yaml':
    'kind: fields\nfields: { heading: { type: text, min-words: 3, max-words: 8 }, year: { type: integer, min: 1500, max: 2030 } }\n',
  'outputs/grade.yaml': 'kind: one-of\nof: [sound, watch, treat]\n',
  'prompts/card.yaml': 'title: C\nvariables: { name: text, made: integer }\noutput: card\nturns: [{ user: "{name}, {made}" }]\n',
  'prompts/grade.yaml': 'title: G\nvariables: { name: text }\noutput: grade\nturns: [{ user: "{name}" }]\n',
  'prompts/free.yaml': 'title: F\nvariables: { name: text }\nturns: [{ user: "{name}" }]\n',
})
const VALUES = {
  name: 'Barnaby kettle pewter handle lid spout engraved heron hinged repaired twice lantern copper basin trivet washboard ladle skillet',
  made: 1893,
}

function requestFor(prompt: string, record = 'MH-1'): ModelRequest {
  const { made: _, ...name } = VALUES
  const values = prompt === 'card' ? VALUES : name
  const { turns, form, fingerprint } = library.prompt(prompt).render(values, { record })
  return { prompt, record, turns, settings: {}, form, fingerprint: fingerprint + record, values, candidate: 1, enveloped: () => '' }
}
const signal = new AbortController().signal

describe('a stand-in', () => {
  test('answers in the form that is asked for, of the record’s own words and figures', async () => {
    const words = new Set(VALUES.name.toLowerCase().split(' '))
    for (let i = 0; i < 40; i++) {
      const request = requestFor('card', `MH-${i}`)
      const { text, finish, isMock } = await mockModel()(request, { signal })
      const { value, problems, repairs } = request.form!.read(text, { strict: true })
      expect([finish, isMock, problems, repairs]).toEqual(['done', true, [], []])
      expect((value as { year: number }).year).toBe(1893)
      for (const word of (value as { heading: string }).heading.split(' ')) expect(words.has(word)).toBe(true)
    }
    expect((await mockModel()(requestFor('free'), { signal })).text).toContain('invented')
  })

  test('says the same to the same question, and another thing with another seed', async () => {
    const say = async (seed: number) => (await mockModel({ seed })(requestFor('card'), { signal })).text
    expect([await say(1), await say(1)]).toEqual([await say(1), await say(1)])
    expect(new Set([await say(1), await say(2), await say(3)]).size).toBe(3)
  })

  test('misbehaves as often as it is told to, and in each way as that way is described', () => {
    const ways = Object.keys(MOCK_FAULTS) as MockFault[]
    const counts = new Map<string | undefined, number>()
    const invent = mockReplies({ faults: { busy: 0.1, empty: 0.2 } })
    for (let i = 0; i < 2000; i++) {
      const { way } = invent({ ...requestFor('grade'), fingerprint: `f${i}` })
      counts.set(way, (counts.get(way) ?? 0) + 1)
    }
    expect(counts.get('busy')! / 2000).toBeCloseTo(0.1, 1)
    expect(counts.get('empty')! / 2000).toBeCloseTo(0.2, 1)
    const only = (prompt: string, way: MockFault) => mockReplies({ faults: { [way]: 1 } })(requestFor(prompt))
    for (const prompt of ['card', 'grade']) {
      const { form } = requestFor(prompt)
      const read = (way: MockFault) => form!.read(only(prompt, way).text)
      for (const way of ways) expect(only(prompt, way).way).toBe(way)
      expect(read('in-prose')).toMatchObject({ problems: [], repairs: [{}] })
      for (const way of ['passage-missing', 'wrong-label', 'empty', 'refusal'] as const)
        expect([way, read(way).value]).toEqual([way, undefined])
    }
    expect(only('card', 'cut-off')).toMatchObject({ finish: 'cut-off' })
    expect(only('card', 'refusal')).toMatchObject({ finish: 'refused' })
    expect(only('card', 'figure').text).toContain('7351')
  })

  test('that is asked again may answer in another way', () => {
    const invent = mockReplies({ faults: { busy: 0.5 } })
    const ways = Array.from({ length: 30 }, () => invent(requestFor('grade')).way)
    expect(new Set(ways)).toEqual(new Set(['busy', undefined]))
  })

  test('fails as a service does, and never ends where it is told so', async () => {
    const waits: number[] = []
    const pause = (milliseconds: number) => Promise.resolve(void waits.push(milliseconds))
    const fault = async (way: MockFault) =>
      mockModel({ delay: 20, faults: { [way]: 1 }, pause })(requestFor('grade'), { signal }).catch((one: unknown) => one)
    expect(await fault('busy')).toMatchObject({ options: { again: true, after: 1 } })
    for (const way of ['broken', 'dropped', 'endless'] as const) expect(await fault(way)).toBeInstanceOf(ModelFault)
    await fault('slow')
    expect(waits.slice(0, 3)).toEqual([20, 20, 20])
    expect(waits.at(-1)).toBe(200)
    expect(Math.max(...waits)).toBeGreaterThan(1e9)
  })
})
