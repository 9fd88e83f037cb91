import type { DirectiveSyntax } from './directive.js'
import type { Each, LoopHead } from '../nodes.js'
import { parseLoopHead } from '../values.js'

interface EachHead extends LoopHead {
  readonly joined: string | undefined
}

/** each = "each" loop [ "joined" string ] … [ "otherwise" … ] "end" */
export const each: DirectiveSyntax<EachHead> = {
  word: 'each',
  shape: 'each NAME in LIST',
  about: 'writes its body for every item',
  branches: ['otherwise'],
  head: (cursor, context) => ({
    ...parseLoopHead(cursor, context),
    joined: cursor.takeWord('joined') ? (cursor.takeString() ?? cursor.fail('a text in double quotes')) : undefined,
  }),
  build: (head, { branches, ...block }): Each<unknown> => ({
    kind: 'each',
    ...block,
    ...head,
    body: branches[0]?.body ?? [],
    otherwise: branches[1],
  }),
}
