import type { Way } from '../kind.js'
import type { Shape } from '../shape.js'

/** Ways in which an answer that is text may be malformed: one that is JSON cannot. */
export function onlyOfText<S extends Shape>(ways: readonly Way<S>[]): Way<S>[] {
  return ways.map((way) => ({
    ...way,
    make: (shape, value, random) => (shape.show === 'json-schema' ? undefined : way.make(shape, value, random)),
  }))
}

/** Ways in which a reply of any form may be wrapped. */
export function around<S extends Shape>(text: (shape: S, value: unknown) => string, language: string): Way<S>[] {
  return [
    { name: 'fenced', wrong: false, make: (shape, value) => `\`\`\`${language}\n${text(shape, value)}\n\`\`\`` },
    {
      name: 'in-prose',
      wrong: false,
      make: (shape, value) => `Certainly! Here it is:\n\n${text(shape, value)}\n\nTell me if it is to be changed.`,
    },
  ]
}
