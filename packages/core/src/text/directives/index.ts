import type { DirectiveSyntax } from './directive.js'
import { aside } from './aside.js'
import { each } from './each.js'
import { untouched } from './untouched.js'
import { use } from './use.js'
import { vary } from './vary.js'
import { when } from './when.js'

/**
 * All directives, in the order of the reference. `otherwise`, `instead` and `end` belong to these.
 *
 * @example
 * DIRECTIVES.map(({ word }) => word).includes('when') // => true
 */
export const DIRECTIVES: readonly DirectiveSyntax[] = Object.freeze([when, each, use, vary, untouched, aside] as DirectiveSyntax[])

export const DIRECTIVE_WORDS: ReadonlyMap<string, DirectiveSyntax> = new Map(DIRECTIVES.map((d) => [d.word, d]))

/** Words that stand where a directive's word does, but only within a block. */
export const INNER_WORDS: ReadonlySet<string> = new Set(['otherwise', 'instead', 'end'])
