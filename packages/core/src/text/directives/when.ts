import type { DirectiveSyntax } from './directive.js'
import type { Condition, When } from '../nodes.js'
import { parseCondition } from '../values.js'

/** when = "when" condition … { "otherwise" "when" condition … } [ "otherwise" … ] "end" */
export const when: DirectiveSyntax<Condition> = {
  word: 'when',
  shape: 'when CONDITION',
  about: 'writes the first branch whose condition is true',
  branches: ['otherwise'],
  head: (cursor, context) => parseCondition(cursor, context),
  build: (condition, block): When<unknown> => ({
    kind: 'when',
    ...block,
    branches: block.branches.map((b, i) => (i === 0 ? { ...b, condition } : b)),
  }),
}
