import { fold, foldName, type Skeleton } from './fold.js'

/** Signs of the rendered text that one replacement takes the place of. */
export interface Replacement {
  readonly start: number
  readonly end: number
  readonly sign: '(' | ')'
}

/** How far, in folded signs, a tag's attributes may reach before its closing bracket. */
const FARTHEST = 400
const NAME_SIGN = /[\p{L}\p{M}\p{Nd}_-]/u

/**
 * Finds every form of a fence's tag in which at least one sign was given (language §8), and says which brackets to replace. The search goes
 * over the folded text, so case, blanks, references and look-alikes make no difference, nor where one value ends and the next begins.
 */
export function formsToDefuse(text: string, isGiven: (start: number, end: number) => boolean, tags: Iterable<string>): Replacement[] {
  const names = [...new Set([...tags].map(foldName))].filter((name) => name !== '')
  const skeleton = fold(text)
  const replacements: Replacement[] = []
  for (let i = 0; i < skeleton.signs.length; i++) {
    if (skeleton.signs[i] !== '<') continue
    const form = names.map((name) => formAt(skeleton, i, name)).find((found) => found !== undefined)
    if (!form || !isGiven(skeleton.starts[i]!, skeleton.ends[form.last]!)) continue
    replacements.push({ start: skeleton.starts[i]!, end: skeleton.ends[i]!, sign: '(' })
    if (form.closer !== undefined) replacements.push({ start: skeleton.starts[form.closer]!, end: skeleton.ends[form.closer]!, sign: ')' })
  }
  return replacements
}

/** A form of the tag whose opening bracket is sign `at`: brackets, slashes, the name, and attributes up to the closing bracket. */
function formAt({ signs, gaps }: Skeleton, at: number, name: string): { last: number; closer: number | undefined } | undefined {
  let i = at + 1
  while (signs[i] === '/') i++
  let matched = 0
  while (matched < name.length) {
    const sign = signs[i]
    if (sign === undefined || !name.startsWith(sign, matched)) return undefined
    matched += sign.length
    i++
  }
  const next = signs[i]
  // At the very end nothing follows that could make it a tag; a sign that a name has makes it another name.
  if (next === undefined || (NAME_SIGN.test(next) && !gaps[i])) return undefined
  for (let end = i; end < signs.length && end < i + FARTHEST; end++) {
    if (signs[end] === '>') return { last: end, closer: end }
    if (signs[end] === '<') break
  }
  return { last: i - 1, closer: undefined }
}
