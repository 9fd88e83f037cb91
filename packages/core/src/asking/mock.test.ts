import { describe, expect, test } from '@jest/globals'
import { libraryFrom, ModelFault, type ModelRequest } from 'dunelight'
import { mockReplies, MOCK_FAULTS, mockModel, type MockFault } from 'dunelight/host'

const library = libraryFrom({
  'outputs/card.yaml':
    'kind: fields\nfields: { heading: { type: text, min-words: 3, max-words: 8 }, body: { type: text, min-words: 12, max-words: 20 }, year: { type: integer, min: 1500, max: 2030 } }\n',
  'outputs/grade.yaml': 'kind: one-of\nof: [sound, watch, treat]\n',
  'prompts/card.yaml':
    'title: C\nvariables: { name: text, parts: list of text, made: integer, note: text }\noutput: card\nturns: [{ user: "{name}, {parts}, {made}, {note}" }]\n',
  'prompts/grade.yaml': 'title: G\nvariables: { name: text }\noutput: grade\nturns: [{ user: "{name}" }]\n',
  'prompts/free.yaml': 'title: F\nvariables: { name: text }\nturns: [{ user: "{name}" }]\n',
})
const VALUES = { name: 'Barnaby kettle', parts: ['lid', 'spout'], made: 1893, note: 'It is hardly cracked; a watch is kept on it.' }

function requestFor(prompt: string, record = 'MH-1'): ModelRequest {
  const values = prompt === 'card' ? VALUES : { name: VALUES.note }
  const { turns, form, fingerprint } = library.prompt(prompt).render(values, { record })
  return { prompt, record, turns, settings: {}, form, fingerprint: fingerprint + record, values, candidate: 1, enveloped: () => '' }
}
const signal = new AbortController().signal

describe('the mock model', () => {
  test('answers in the form of the output, with sentences about the record', async () => {
    for (let i = 0; i < 40; i++) {
      const request = requestFor('card', `MH-${i}`)
      const { text, finish, isMock } = await mockModel()(request, { signal })
      const { value, problems, repairs } = request.form!.read(text, { strict: true })
      expect([finish, isMock, problems, repairs]).toEqual(['done', true, [], []])
      const { heading, body, year } = value as { heading: string; body: string; year: number }
      expect([heading, year]).toEqual(['Barnaby kettle of lid and spout', 1893])
      expect(body).toMatch(/^Barnaby kettle, lid and spout, made in 1893\.(?: [A-Z][a-z ]+\.)+$/)
    }
    const grades = Array.from({ length: 60 }, (_, i) => mockReplies({})({ ...requestFor('grade'), fingerprint: `f${i}` }).text)
    const share = grades.filter((grade) => grade === 'watch').length / 60
    // "watch" is the label that occurs in the record; now and then the model is wrong.
    expect(share).toBeGreaterThan(0.6)
    expect(share).toBeLessThan(1)
    expect((await mockModel()(requestFor('free'), { signal })).text).toMatch(/^Invented: /)
  })

  test('gives the same reply to the same request, and another with another seed', async () => {
    const say = async (seed: number) => (await mockModel({ seed })(requestFor('card'), { signal })).text
    expect([await say(1), await say(1)]).toEqual([await say(1), await say(1)])
    expect(new Set([await say(1), await say(2), await say(3)]).size).toBe(3)
  })

  test('has each fault as often as configured, and as described', () => {
    const ways = Object.keys(MOCK_FAULTS) as MockFault[]
    const counts = new Map<string | undefined, number>()
    const invent = mockReplies({ faults: { busy: 0.1, empty: 0.2 } })
    for (let i = 0; i < 2000; i++) {
      const { fault } = invent({ ...requestFor('grade'), fingerprint: `f${i}` })
      counts.set(fault, (counts.get(fault) ?? 0) + 1)
    }
    expect(counts.get('busy')! / 2000).toBeCloseTo(0.1, 1)
    expect(counts.get('empty')! / 2000).toBeCloseTo(0.2, 1)
    const only = (prompt: string, way: MockFault) => mockReplies({ faults: { [way]: 1 } })(requestFor(prompt))
    for (const prompt of ['card', 'grade']) {
      const { form } = requestFor(prompt)
      const read = (way: MockFault) => form!.read(only(prompt, way).text)
      for (const way of ways) expect(only(prompt, way).fault).toBe(way)
      expect(read('in-prose')).toMatchObject({ problems: [], repairs: [{}] })
      for (const way of ['passage-missing', 'wrong-label', 'empty', 'refusal'] as const)
        expect([way, read(way).value]).toEqual([way, undefined])
    }
    expect(only('card', 'cut-off')).toMatchObject({ finish: 'cut-off' })
    expect(only('card', 'refusal')).toMatchObject({ finish: 'refused' })
    expect(only('card', 'figure').text).toContain('7351')
  })

  test('may have another fault for a repeated request', () => {
    const invent = mockReplies({ faults: { busy: 0.5 } })
    const ways = Array.from({ length: 30 }, () => invent(requestFor('grade')).fault)
    expect(new Set(ways)).toEqual(new Set(['busy', undefined]))
  })

  test('fails as a service does, and times out where it is set to', async () => {
    const waits: number[] = []
    const pause = (milliseconds: number) => Promise.resolve(void waits.push(milliseconds))
    const fault = async (way: MockFault) =>
      mockModel({ delay: 20, faults: { [way]: 1 }, pause })(requestFor('grade'), { signal }).catch((item: unknown) => item)
    expect(await fault('busy')).toMatchObject({ options: { retry: true, retryAfter: 1 } })
    for (const way of ['broken', 'dropped', 'endless'] as const) expect(await fault(way)).toBeInstanceOf(ModelFault)
    await fault('slow')
    expect(waits.slice(0, 3)).toEqual([20, 20, 20])
    expect(waits.at(-1)).toBe(200)
    expect(Math.max(...waits)).toBeGreaterThan(1e9)
  })
})
