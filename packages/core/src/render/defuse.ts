import { fold, foldName, type Skeleton } from './fold.js'
import { FORM_START } from './suspect.js'

/** A form of a fence's tag in a text: its signs from the opening bracket on, and the brackets themselves. */
export interface TagForm {
  readonly start: number
  readonly end: number
  readonly opener: Stretch
  readonly closer: Stretch | undefined
}

export interface Stretch {
  readonly start: number
  readonly end: number
}

/** How far, in folded signs, a tag's attributes may reach before its closing bracket. */
const FARTHEST = 400
const WINDOW = 64
const NAME_SIGN = /[\p{L}\p{M}\p{Nd}_-]/u

/**
 * Finds every form of a fence's tag (language §8), whoever wrote it. Only from signs that can begin one is the text folded, and only as far
 * as it takes to decide; so case, blanks, references and look-alikes make no difference, nor where one value ends and the next begins.
 */
export function findForms(text: string, tags: Iterable<string>): TagForm[] {
  const names = [...new Set([...tags].map(foldName))].filter((name) => name !== '')
  const forms: TagForm[] = []
  FORM_START.lastIndex = 0
  for (let match = FORM_START.exec(text); match; match = FORM_START.exec(text)) {
    const form = formFrom(text, match.index, names)
    if (form) forms.push(form)
  }
  return forms
}

function formFrom(text: string, start: number, names: readonly string[]): TagForm | undefined {
  for (let size = WINDOW; ; size *= 4) {
    const whole = start + size >= text.length
    const skeleton = fold(text.slice(start, start + size))
    if (skeleton.signs.length > 0 && skeleton.signs[0] !== '<' && (whole || skeleton.signs.length > 20)) return undefined
    const found = formIn(skeleton, names, whole)
    if (found === 'more') continue
    if (!found) return undefined
    const stretch = (at: number): Stretch => ({ start: start + skeleton.starts[at]!, end: start + skeleton.ends[at]! })
    return {
      start,
      end: start + skeleton.ends[found.last]!,
      opener: { start, end: stretch(0).end },
      closer: found.closer === undefined ? undefined : stretch(found.closer),
    }
  }
}

type Found = { readonly last: number; readonly closer: number | undefined }

function formIn(skeleton: Skeleton, names: readonly string[], whole: boolean): Found | 'more' | undefined {
  let more = false
  for (const name of names) {
    const found = formAt(skeleton, name, whole)
    if (found === 'more') more = true
    else if (found) return found
  }
  return more ? 'more' : undefined
}

/** brackets, slashes, the name, and attributes up to the closing bracket; `more` where the window ends before that is clear. */
function formAt({ signs, gaps }: Skeleton, name: string, whole: boolean): Found | 'more' | undefined {
  const short = whole ? undefined : 'more'
  if (signs.length === 0) return short
  if (signs[0] !== '<') return whole || signs.length > 20 ? undefined : 'more'
  let i = 1
  while (signs[i] === '/') i++
  for (let matched = 0; matched < name.length; i++) {
    const sign = signs[i]
    if (sign === undefined) return short
    if (!name.startsWith(sign, matched)) return undefined
    matched += sign.length
  }
  const next = signs[i]
  // At the very end nothing follows that could make it a tag; a sign that a name has makes it another name.
  if (next === undefined) return short
  if (NAME_SIGN.test(next) && !gaps[i]) return undefined
  for (let end = i; end < i + FARTHEST; end++) {
    if (signs[end] === '>') return { last: end, closer: end }
    if (signs[end] === '<') break
    if (signs[end] === undefined) {
      if (!whole) return 'more'
      break
    }
  }
  return { last: i - 1, closer: undefined }
}
