import { defined } from '../../invariant.js'
import { finishDocument, instructDocument, readDocument, type FinishedDocument } from './document.js'
import { partsOf } from './match.js'
import type { OutputKind } from '../kind.js'
import { withCitations } from '../whole-rules.js'
import { amountsIn, passageFields, typedValue } from '../passages.js'
import type { SampleRandom } from '../sample/random.js'
import { samplePassage } from '../sample/passages.js'
import { around, onlyOfText } from '../sample/ways.js'
import { wordsOf } from '../sample/prose.js'
import { ownText, passagesOf, type DocumentShape } from '../shape.js'
import { schemaOf, type JsonSchema } from '../../interop/to-schema.js'
import { own, put, withPart } from '../../values/data.js'

const [fenced, inProse] = around<DocumentShape>((_, value) => (value as FinishedDocument).text, 'markdown')

/** Words around a document are separated from it only if it begins and ends with text of its own. */
function hasEnds({ segments }: DocumentShape): boolean {
  const parts = partsOf(segments)
  return defined(parts[0]).fixed.trim() !== '' && defined(parts.at(-1)).fixed.trim() !== ''
}

/** Fixed text and values, and between them passages to be written. */
export const documentKind: OutputKind<DocumentShape> = {
  form: 'document',
  instruct: instructDocument,
  schema: passagesSchema,
  read: readDocument,
  columns: (shape, value) => ({
    ...Object.fromEntries(passagesOf(shape).map(({ name }) => [name, own(own(value, 'passages'), name) ?? null])),
    document: own(value, 'text') ?? null,
  }),
  write: (shape, value) =>
    shape.show === 'json-schema' ? JSON.stringify((value as FinishedDocument).passages) : (value as FinishedDocument).text,
  parts: (shape) => [...new Set(passagesOf(shape).map(({ name }) => name))],
  exchange: ({ segments }, value, other, part) =>
    finishDocument(segments, withPart((value as FinishedDocument).passages, (other as FinishedDocument).passages, part)),
  sample: (shape, random) => {
    const sample = withPassages(shape, (item) => samplePassage(item, random, !ownLine(shape, item.name)))
    if (!shape.whole?.cites) return sample
    const texts = passagesOf(shape).filter(({ type }) => type === 'text')
    const names = texts.map(({ name }) => name)
    return finishDocument(shape.segments, withCitations(sample.passages, shape.whole, names))
  },
  ways: onlyOfText<DocumentShape>([
    defined(fenced),
    { ...defined(inProse), make: (shape, value, random) => (hasEnds(shape) ? defined(inProse).make(shape, value, random) : undefined) },
    {
      name: 'heading-in-capitals',
      wrong: false,
      make: (shape, value) => {
        const heading = /^#+ .+$/m.exec(defined(partsOf(shape.segments)[0]).fixed)?.[0]
        const upper = heading?.toUpperCase()
        return heading === undefined || upper === heading || upper?.length !== heading.length
          ? undefined
          : documentKind.write(shape, value).replace(heading, () => upper)
      },
    },
    { name: 'passage-missing', wrong: true, make: (shape, value) => without(shape, value, passagesOf(shape)[0]?.name) },
    { name: 'passage-left', wrong: true, make: (shape) => ownText(shape) },
    {
      name: 'passage-long',
      wrong: true,
      make: (shape, value, random) => longPassage(shape, value as FinishedDocument, random),
    },
    {
      name: 'fixed-changed',
      wrong: true,
      make: (shape, value) => {
        const core = partsOf(shape.segments)
          .map((part) => part.fixed.trim())
          .find((fixed) => fixed.split(/\s+/).length > 3)
        const words = core?.split(/(\s+)/)
        if (!core || !words) return undefined
        return documentKind.write(shape, value).replace(core, () => [words[0], words[1], 'otherwise', ...words.slice(3)].join(''))
      },
    },
    {
      name: 'cut-off',
      wrong: true,
      make: (shape, value) => {
        const last = defined(partsOf(shape.segments).at(-1)).fixed.trim()
        const text = documentKind.write(shape, value).trimEnd()
        return last === '' ? undefined : text.slice(0, text.length - last.length).trimEnd()
      },
    },
    { name: 'empty', wrong: true, make: () => '' },
  ]),
}

function withPassages(
  shape: DocumentShape,
  write: (passage: DocumentShape['segments'][number] & { kind: 'passage' }) => string,
): FinishedDocument {
  const passages: Record<string, unknown> = {}
  const segments = shape.segments.map((segment) => {
    if (segment.kind !== 'passage') return segment
    const text = write(segment)
    put(passages, segment.name, segment.type === 'text' ? text : typedValue(segment.type, text))
    return { kind: 'written' as const, text, name: segment.name }
  })
  return { text: segments.map((segment) => segment.text).join(''), passages, segments }
}

/** Whether a passage has its lines to itself: within a sentence it is one line. */
function ownLine({ segments }: DocumentShape, name: string): boolean {
  const position = segments.findIndex((segment) => segment.kind === 'passage' && segment.name === name)
  const before = segments[position - 1]?.text ?? '\n'
  const after = segments[position + 1]?.text ?? '\n'
  return /\n[ \t]*$/.test(before) && /^[ \t]*\n/.test(after)
}

function without(shape: DocumentShape, value: unknown, name: string | undefined): string | undefined {
  const { segments } = value as FinishedDocument
  return name === undefined ? undefined : segments.map((segment) => (segment.name === name ? '' : segment.text)).join('')
}

function longPassage(shape: DocumentShape, { segments }: FinishedDocument, random: SampleRandom): string | undefined {
  for (const { name, guidance, type } of passagesOf(shape)) {
    const most = type === 'text' ? (amountsIn(guidance).find((amount) => amount.unit === 'word')?.max ?? Infinity) : Infinity
    if (most !== Infinity) return segments.map((segment) => (segment.name === name ? wordsOf(random, most + 1) : segment.text)).join('')
  }
  return undefined
}

function passagesSchema(shape: DocumentShape, strict: boolean): JsonSchema {
  const { $schema, ...rest } = schemaOf(passageFields(shape.segments), shape.name, { closed: true, boundsInText: true, strict })
  return { $schema, ...(shape.about !== undefined && { description: shape.about }), ...rest }
}
