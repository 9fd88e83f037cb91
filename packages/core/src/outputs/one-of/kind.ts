import { defined } from '../../invariant.js'
import { instructOneOf, readOneOf } from './one-of.js'
import type { OutputKind } from '../kind.js'
import { likelyOption } from '../sample/prose.js'
import { DRAFT, type JsonSchema } from '../../interop/to-schema.js'
import { onlyOfText } from '../sample/ways.js'
import { own } from '../../values/data.js'
import type { OneOfShape } from '../shape.js'
import { labelsInWords } from '../../values/labels.js'

/** One label of a set. */
export const oneOfKind: OutputKind<OneOfShape> = {
  form: 'one-of',
  instruct: instructOneOf,
  schema: (shape) => ({ $schema: DRAFT, title: shape.name, ...fieldSchema(shape) }),
  read: readOneOf,
  columns: ({ field }, value) => ({ [field]: own(value, field) ?? null }),
  write: (shape, value) => (shape.show === 'json-schema' ? JSON.stringify(value) : labelOf(shape, value)),
  sample: ({ of, field }, random) => ({ [field]: likelyOption(random, of) }),
  ways: onlyOfText<OneOfShape>([
    { name: 'captioned', wrong: false, make: (shape, value) => `Grade: ${labelOf(shape, value)}` },
    {
      name: 'full-stop',
      wrong: false,
      make: (shape, value) => (shape.of.includes(`${labelOf(shape, value)}.`) ? undefined : `${labelOf(shape, value)}.`),
    },
    {
      name: 'other-case',
      wrong: false,
      make: (shape, value) => {
        const upper = labelOf(shape, value).toUpperCase()
        return shape.of.includes(upper) ? undefined : upper
      },
    },
    { name: 'in-json', wrong: false, make: (_, value) => JSON.stringify(value) },
    {
      name: 'in-prose',
      wrong: false,
      make: (shape, value) => `Having weighed it with care, I would settle on this:\n\n${labelOf(shape, value)}`,
    },
    { name: 'wrong-label', wrong: true, make: () => 'none of your labels' },
    {
      name: 'several-labels',
      wrong: true,
      make: ({ of }) => (of.length > 1 ? `Either ${defined(of[0])} or ${defined(of[1])}, perhaps.` : undefined),
    },
    { name: 'empty', wrong: true, make: () => '' },
  ]),
}

function labelOf({ field }: OneOfShape, value: unknown): string {
  return String(own(value, field))
}

function fieldSchema({ field, of, labels = [], about }: OneOfShape): JsonSchema {
  const description = [about?.trim() ?? '', labelsInWords(labels)].filter((part) => part !== '').join('. ')
  const label = { type: 'string', enum: [...of], ...(description !== '' && { description }) }
  return { type: 'object', properties: { [field]: label }, required: [field], additionalProperties: false }
}
