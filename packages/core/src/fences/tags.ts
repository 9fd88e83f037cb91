import { lookFor } from './suspicion.js'
import { fold, foldName, type Skeleton, type TextSegment } from './skeleton.js'

/** A form of a fence's tag in a text, whatever it is written with. */
export interface TagForm {
  /** From its opening bracket to the end of its name: what makes it a tag. */
  readonly core: TextSegment
  readonly opening: TextSegment
  /** Its closing bracket, if it has one: what follows a name without a closing bracket may be read as one all the same. */
  readonly closing: TextSegment | undefined
}

/** How far, in characters of the skeleton, a tag's attributes may reach before its closing bracket. */
const LONGEST_ATTRIBUTES = 400
const NAME_CHARACTER = /[\p{L}\p{M}\p{Nd}_-]/u

const OPENING = 0x3c
const CLOSING = 0x3e
const SLASH = 0x2f
const BACKSLASH = 0x5c
const EDGE = 0xffff

/**
 * Every form of the tags in a text (language §8): case, spaces, escapes and look-alikes make no difference. What stands in `left` is passed
 * over: fences' own tags. Takes time in proportion to the text.
 */
export function findTags(text: string, tags: readonly string[], left: readonly TextSegment[] = []): TagForm[] {
  const { names, look } = sought(tags)
  if (!mayHold(text, look, left)) return []
  const skeleton = fold(text, left)
  const forms: TagForm[] = []
  for (let open = skeleton.indexOf(OPENING, 0); open >= 0; open = skeleton.indexOf(OPENING, open + 1)) {
    const form = formAt(skeleton, open, names)
    if (form) forms.push(form)
  }
  return forms.reverse()
}

interface Sought {
  readonly names: readonly string[]
  readonly look: RegExp
}

const known = new Map<string, Sought>()
/** A nonce makes other tags for every record. */
const MOST_KNOWN = 100

/** The folded names of tags, and what a text has in it if it holds one. */
function sought(tags: readonly string[]): Sought {
  const key = tags.join(' ')
  let folded = known.get(key)
  if (!folded) {
    const names = [...new Set(tags.map(foldName))].filter((name) => name !== '')
    folded = { names, look: lookFor(names) }
    if (known.size >= MOST_KNOWN) known.clear()
    known.set(key, folded)
  }
  return folded
}

/** Whether a span between those that are left out could contain a tag. */
function mayHold(text: string, look: RegExp, left: readonly TextSegment[]): boolean {
  if (left.length === 0) return look.test(text)
  let position = 0
  for (const { start, end } of left) {
    if (start > position && look.test(text.slice(position, start))) return true
    position = end
  }
  return position < text.length && look.test(text.slice(position))
}

/** form = "<" { "/" } name end; end = ">" | attributes ">" | a character that no name has, or an escaped one | the text's end */
function formAt(skeleton: Skeleton, open: number, names: readonly string[]): TagForm | undefined {
  let position = open - 1
  while (position >= 0 && isPassedOver(skeleton.codeAt(position))) position--
  for (const name of names) {
    const last = nameAt(skeleton, position, name)
    // Where an escape ends is read in more than one way, and so is a name that ends in one.
    if (last === undefined || (last > 0 && skeleton.isPlain(last) && goesOn(skeleton, last - 1))) continue
    const closing = closingFrom(skeleton, last - 1)
    return {
      core: skeleton.segment(open, last),
      opening: skeleton.segment(open),
      closing: closing === undefined ? undefined : skeleton.segment(closing),
    }
  }
  return undefined
}

/** Slashes, and halves of characters, which stand for nothing. */
function isPassedOver(code: number): boolean {
  return code === SLASH || code === BACKSLASH || (code >= 0xd800 && code <= 0xdfff)
}

/** The last character of the name, where it stands there. */
function nameAt(skeleton: Skeleton, from: number, name: string): number | undefined {
  let position = from
  for (let matched = 0; matched < name.length; position--) {
    if (position < 0) return undefined
    const characters = skeleton.charactersAt(position)
    if (!name.startsWith(characters, matched)) return undefined
    matched += characters.length
    if (matched > name.length) return undefined
  }
  return position + 1
}

/** Whether a name goes on with that character: an escaped one is no part of it. */
function goesOn(skeleton: Skeleton, position: number): boolean {
  return !skeleton.hasGapBefore(position) && skeleton.isPlain(position) && NAME_CHARACTER.test(skeleton.charactersAt(position))
}

function closingFrom(skeleton: Skeleton, from: number): number | undefined {
  for (let position = from; position >= 0 && position > from - LONGEST_ATTRIBUTES; position--) {
    const code = skeleton.codeAt(position)
    if (code === CLOSING) return position
    if (code === OPENING || code === EDGE) return undefined
  }
  return undefined
}
