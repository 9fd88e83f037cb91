import type { Way } from '../kind.js'
import type { Shape } from '../shape.js'

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
