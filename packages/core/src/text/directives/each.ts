import type { DirectiveSyntax } from './directive.js'
import type { Condition, Each, Name, SlotValue } from '../nodes.js'
import { parseCondition, parseGivenName, parseSlotValue } from '../values.js'

interface EachHead {
  readonly name: Name
  readonly position: Name | undefined
  readonly value: SlotValue
  readonly keep: Condition | undefined
  readonly joined: string | undefined
}

/** each = "each" name [ "," name ] "in" slot-value [ "keep" condition ] [ "joined" string ] … [ "otherwise" … ] "end" */
export const each: DirectiveSyntax<EachHead> = {
  word: 'each',
  shape: 'each NAME in LIST',
  about: 'writes its body for every item',
  branches: ['otherwise'],
  head: (cursor, context) => {
    const name = parseGivenName(cursor, context, 'a name for the items')
    const position = cursor.take(',') ? parseGivenName(cursor, context, 'a name for the position') : undefined
    if (!cursor.takeWord('in')) cursor.fail(position ? '"in"' : '"," or "in"')
    const value = parseSlotValue(cursor, context)
    const keep = cursor.takeWord('keep') ? parseCondition(cursor, context) : undefined
    const joined = cursor.takeWord('joined') ? (cursor.takeString() ?? cursor.fail('a text in double quotes')) : undefined
    return { name, position, value, keep, joined }
  },
  build: (head, { branches, ...block }): Each<unknown> => ({
    kind: 'each',
    ...block,
    ...head,
    body: branches[0]?.body ?? [],
    otherwise: branches[1],
  }),
}
