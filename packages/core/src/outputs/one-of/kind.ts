import { defined } from '../../invariant.js'
import { instructOneOf, readOneOf } from './one-of.js'
import type { OutputKind } from '../kind.js'
import { likelyOption } from '../sample/prose.js'
import { DRAFT, type JsonSchema } from '../../interop/to-schema.js'
import type { OneOfShape } from '../shape.js'
import { labelsInWords } from '../../values/labels.js'

/** One label of a set. */
export const oneOfKind: OutputKind<OneOfShape> = {
  form: 'one-of',
  instruct: instructOneOf,
  schema: (shape) => ({ $schema: DRAFT, title: shape.name, ...labelSchema(shape) }),
  parameters: (shape) => ({
    $schema: DRAFT,
    title: shape.name,
    type: 'object',
    properties: { [shape.field]: labelSchema(shape) },
    required: [shape.field],
    additionalProperties: false,
  }),
  read: readOneOf,
  columns: ({ field }, value) => ({ [field]: value ?? null }),
  write: (_, value) => String(value),
  sample: ({ of }, random) => likelyOption(random, of),
  ways: [
    { name: 'captioned', wrong: false, make: (_, value) => `Grade: ${String(value)}` },
    { name: 'full-stop', wrong: false, make: ({ of }, value) => (of.includes(`${String(value)}.`) ? undefined : `${String(value)}.`) },
    {
      name: 'other-case',
      wrong: false,
      make: ({ of }, value) => {
        const upper = String(value).toUpperCase()
        return of.includes(upper) ? undefined : upper
      },
    },
    { name: 'in-json', wrong: false, make: ({ field }, value) => JSON.stringify({ [field]: value }) },
    { name: 'in-prose', wrong: false, make: (_, value) => `Having weighed it with care, I would settle on this:\n\n${String(value)}` },
    { name: 'wrong-label', wrong: true, make: () => 'none of your labels' },
    {
      name: 'several-labels',
      wrong: true,
      make: ({ of }) => (of.length > 1 ? `Either ${defined(of[0])} or ${defined(of[1])}, perhaps.` : undefined),
    },
    { name: 'empty', wrong: true, make: () => '' },
  ],
}

function labelSchema({ of, labels = [], about }: OneOfShape): JsonSchema {
  const description = [about?.trim() ?? '', labelsInWords(labels)].filter((part) => part !== '').join('. ')
  return { type: 'string', enum: [...of], ...(description !== '' && { description }) }
}
