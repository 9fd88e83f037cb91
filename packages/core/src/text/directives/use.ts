import type { DirectiveSyntax } from './directive.js'
import type { Cursor } from '../cursor.js'
import type { SlotValue, Use, With } from '../nodes.js'
import { parseGivenName, parseSlotValue, type ValueContext } from '../values.js'

const OWN = ['persona', 'examples', 'output'] as const

interface UseHead {
  readonly what: Use['what']
  readonly steps: readonly (string | SlotValue)[]
  readonly with: readonly With[]
  readonly nameSpan: Use['nameSpan']
}

/** use = "use" ( "persona" [ name ] | "output" | "examples" name | snippet-name ) [ "with" name "=" slot-value { "," … } ] */
export const use: DirectiveSyntax<UseHead> = {
  word: 'use',
  shape: 'use NAME',
  about: 'writes a snippet, the persona, an example set or the instruction for the answer',
  branches: undefined,
  head: (cursor, context) => {
    cursor.blanks()
    const start = cursor.position
    const first = cursor.peekName()
    const what = OWN.find((word) => word === first) ?? 'snippet'
    if (what !== 'snippet') cursor.takeName()
    const named = what === 'snippet' || what === 'examples' || (what === 'persona' && startsName(cursor))
    const steps = named ? parseSteps(cursor, context) : []
    const nameSpan = cursor.span(start)
    return { what, steps, nameSpan, with: cursor.takeWord('with') ? parseWith(cursor, context) : [] }
  },
  build: (stated, { form, head, span, indent }): Use => ({ kind: 'use', form, head, span, indent, ...stated }),
}

function startsName(cursor: Cursor): boolean {
  const name = cursor.peekName()
  return (name !== undefined && name !== 'with') || cursor.peek() === '{'
}

/** snippet-name = step { "/" step } ;  step = name | "{" slot-value "}" */
function parseSteps(cursor: Cursor, context: ValueContext): (string | SlotValue)[] {
  const steps: (string | SlotValue)[] = []
  cursor.blanks()
  do {
    if (cursor.takeClose('{')) {
      steps.push(parseSlotValue(cursor, context))
      if (!cursor.take('}')) cursor.fail('"}"')
    } else {
      const character = cursor.source.text[cursor.position]
      steps.push((character === ' ' || character === '\t' ? undefined : cursor.takeName()) ?? cursor.fail('a name'))
    }
  } while (cursor.takeClose('/'))
  return steps
}

function parseWith(cursor: Cursor, context: ValueContext): With[] {
  const bindings: With[] = []
  do {
    const name = parseGivenName(cursor, context, 'a variable’s name')
    if (!cursor.take('=')) cursor.fail('"="')
    bindings.push({ name, value: parseSlotValue(cursor, context) })
  } while (cursor.take(','))
  return bindings
}
