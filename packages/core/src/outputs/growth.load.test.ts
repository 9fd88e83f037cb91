import { Session } from 'node:inspector'
import { expect, test } from '@jest/globals'
import { libraryFrom } from 'dunelight'
import { times } from '../../../../test/house.js'

// Readers take time in proportion to a reply. The clock of a busy machine tells little, so steps are counted: how often each block of the
// core's code runs, as the engine counts it, and how many characters its searches and patterns go through.

const OUTPUTS = {
  fields:
    'kind: fields\nfields:\n  heading: text\n  year: { type: integer, optional: true }\n  tags: { type: list of text, optional: true }\n',
  rows: 'kind: rows\nrow: "<heading> (<year: integer>) -> <maker>"\n',
  commas: 'kind: rows\nrow: "<a> - <b>, <c>"\n',
  document:
    'kind: document\ntext: |\n  # Title of it\n  <opening: a paragraph>\n  ## What we ask\n  <terms: bullets>\n  Yours, the director\n',
  line: 'kind: document\ntext: |\n  <a> (<b: integer>) -> <c>\n',
  label: 'kind: one-of\nof: [sound, watch, treat, urgent]\n',
}
const files = Object.fromEntries(
  Object.entries(OUTPUTS).flatMap(([name, text]) => [
    [`outputs/${name}.yaml`, text],
    [`prompts/${name}.yaml`, `title: P\nvariables: { note: text }\nturns: [{ user: "{note}" }]\noutput: ${name}\n`],
  ]),
)
const library = libraryFrom(files)

let searched = 0

/** Counts the characters that a method of texts or patterns goes through. */
function countCalls<T extends object>(
  of: T,
  name: keyof T,
  count: (self: unknown, args: readonly unknown[], result: unknown) => number,
): () => void {
  const own = of[name] as (...args: unknown[]) => unknown
  of[name] = function (this: unknown, ...args: unknown[]) {
    const result = Reflect.apply(own, this, args)
    searched += count(this, args, result)
    return result
  } as T[keyof T]
  return () => {
    of[name] = own as T[keyof T]
  }
}

function countingSearches(): () => void {
  const whole = (self: unknown) => String(self).length
  const until = (self: unknown, [, from = 0]: readonly unknown[], index: unknown) =>
    (Number(index) < 0 ? whole(self) : Number(index)) - Number(from)
  const pattern = (self: unknown, [text]: readonly unknown[], result: unknown) => {
    const { sticky } = self as RegExp
    const match = result as RegExpExecArray | null
    return sticky ? (match?.[0].length ?? 1) : match ? match[0].length + 1 : String(text).length
  }
  const undo = [
    countCalls(String.prototype, 'indexOf', until),
    countCalls(String.prototype, 'includes', whole),
    countCalls(String.prototype, 'split', whole),
    countCalls(String.prototype, 'replace', whole),
    countCalls(String.prototype, 'toLowerCase', whole),
    countCalls(RegExp.prototype, 'exec', pattern),
  ]
  return () => undo.forEach((item) => item())
}

/** How many steps a reading takes. */
async function steps(session: Session, read: () => void): Promise<number> {
  const post = (method: string) =>
    new Promise<unknown>((resolve, reject) => session.post(method, (fault, result) => (fault ? reject(fault) : resolve(result))))
  await post('Profiler.takePreciseCoverage')
  searched = 0
  const undo = countingSearches()
  read()
  undo()
  const { result } = (await post('Profiler.takePreciseCoverage')) as {
    result: readonly { readonly url: string; readonly functions: readonly { readonly ranges: readonly { readonly count: number }[] }[] }[]
  }
  const own = result.filter(({ url }) => url.includes('/core/src/') && !url.endsWith('.test.ts'))
  return (
    searched +
    own.reduce(
      (sum, { functions }) => sum + functions.reduce((all, { ranges }) => all + ranges.reduce((a, { count }) => a + count, 0), 0),
      0,
    )
  )
}

const REPEATED = [
  'a (1) -> ',
  'a (1) -> b\n',
  '1,890 ',
  '1890–95 ',
  '1. a\n',
  '{"a":1} ',
  '{"heading":"x"} blah } ',
  '} ',
  '{"a":',
  '[',
  '"',
  '```\n',
  '# Title of it ',
  ' ',
  '- ',
  'a - b, ',
  'watch ',
  'Grade: watch\n',
  '/* ',
  '“',
  'Ab Cd ',
  'eighteen hundred and ',
  '19th century ',
  '23 November 2026 ',
  'a; ',
  'é ',
  '| a | b |\n',
]

test('every reader takes steps in proportion to the reply', async () => {
  const session = new Session()
  session.connect()
  await new Promise<void>((resolve) => session.post('Profiler.enable', () => resolve()))
  await new Promise<void>((resolve) => session.post('Profiler.startPreciseCoverage', { callCount: true, detailed: true }, () => resolve()))
  const grown: string[] = []
  // In the tests each reader gets some of the texts; in the soak, all.
  const stride = times(5, 1)
  for (const [which, name] of Object.keys(OUTPUTS).entries()) {
    const rendering = library.prompt(name).render({ note: 'Ab 12' })
    for (const head of ['', '{"heading": "x"} ']) {
      for (const part of REPEATED.filter((_, i) => (i + which) % stride === 0)) {
        const reply = (length: number) => head + part.repeat(Math.ceil(length / part.length))
        const few = await steps(session, () => rendering.read(reply(4000)))
        const many = await steps(session, () => rendering.read(reply(16_000)))
        if (many > 6 * few && many > 400_000) grown.push(`${name}: ${JSON.stringify(head + part)} ${few} → ${many}`)
      }
    }
  }
  session.disconnect()
  expect(grown).toEqual([])
}, 240_000)

test('20,000 unexpected keys are reported in a few lines', () => {
  const keys = Array.from({ length: 20_000 }, (_, i) => `"key${i}": ${i}`).join(', ')
  const { value, repairs } = library.prompt('fields').render({ note: 'x' }).read(`{"heading": "x", ${keys}}`)
  expect(value).toEqual({ heading: 'x' })
  expect(repairs).toHaveLength(21)
  expect(repairs.at(-1)!.message).toContain('19980 more keys were not requested')
})
