import { defined } from '../invariant.js'
import type { BraceHint } from '../problems/text-codes.js'
import type { Source, Span } from '../source/source.js'
import { NAME } from '../values/names.js'

const NAME_HERE = new RegExp(NAME, 'uy')
const NUMBER_HERE = /-?\d+(?:\.\d+)?/y
const INTEGER_HERE = /-?\d+/y

/** Thrown within one slot or directive and caught at its edge, where reading goes on. */
export class Unreadable extends Error {
  override readonly name: string = 'Unreadable'

  constructor(
    readonly expected: string,
    readonly at: number,
  ) {
    super(expected)
  }
}

/** Reads tokens of a slot or directive from `at` up to `end`, which lies on the same line. */
export class Cursor {
  constructor(
    readonly source: Source,
    public at: number,
    readonly end: number,
  ) {}

  blanks(): void {
    const { text } = this.source
    while (this.at < this.end && (text.charCodeAt(this.at) === 32 || text.charCodeAt(this.at) === 9)) this.at++
  }

  get done(): boolean {
    this.blanks()
    return this.at >= this.end
  }

  span(start: number): Span {
    return this.source.span(start, this.at)
  }

  /** The next character after any spaces. */
  peek(): string {
    this.blanks()
    return this.at < this.end ? defined(this.source.text[this.at]) : ''
  }

  /** Takes `character` if it stands here. */
  take(character: string): boolean {
    this.blanks()
    if (this.at + character.length > this.end || !this.source.text.startsWith(character, this.at)) return false
    this.at += character.length
    return true
  }

  /** Takes `character` only directly here, without spaces before it. */
  takeClose(character: string): boolean {
    if (this.at >= this.end || this.source.text[this.at] !== character) return false
    this.at++
    return true
  }

  /** The name at this place, in NFC; not taken. */
  peekName(): string | undefined {
    this.blanks()
    const name = this.match(NAME_HERE)
    return name?.normalize('NFC')
  }

  takeName(): string | undefined {
    this.blanks()
    const raw = this.match(NAME_HERE)
    if (raw === undefined) return undefined
    this.at += raw.length
    return raw.normalize('NFC')
  }

  takeWord(word: string): boolean {
    this.blanks()
    // Words of the language are tested for far more often than they occur.
    if (!this.source.text.startsWith(word, this.at) || this.match(NAME_HERE) !== word) return false
    this.at += word.length
    return true
  }

  takeNumber(): string | undefined {
    this.blanks()
    const match = this.match(NUMBER_HERE)
    if (match === undefined) return undefined
    this.at += match.length
    return match
  }

  takeInteger(): string | undefined {
    this.blanks()
    const match = this.match(INTEGER_HERE)
    if (match === undefined) return undefined
    this.at += match.length
    return match
  }

  /** A string in double quotes with `\"`, `\\`, `\n`, `\t`. */
  takeString(): string | undefined {
    if (this.peek() !== '"') return undefined
    let value = ''
    for (let i = this.at + 1; i < this.end; i++) {
      const character = defined(this.source.text[i])
      if (character === '"') {
        this.at = i + 1
        return value
      }
      if (character !== '\\') {
        value += character
        continue
      }
      const escaped = { '"': '"', '\\': '\\', n: '\n', t: '\t' }[this.source.text[i + 1] ?? '']
      if (escaped === undefined) throw new Unreadable('\\", \\\\, \\n or \\t', i)
      value += escaped
      i++
    }
    throw new Unreadable('a closing "', this.end)
  }

  fail(expected: string): never {
    throw new Unreadable(expected, this.at)
  }

  private match(pattern: RegExp): string | undefined {
    pattern.lastIndex = this.at
    const match = pattern.exec(this.source.text)?.[0]
    return match !== undefined && this.at + match.length <= this.end ? match : undefined
  }
}

/**
 * How the brace at `at` is written as a plain character. In a double-quoted YAML scalar the backslash itself is doubled; after `\p`, `\begin`
 * and the like the whole expression was most likely meant.
 */
export function braceHint(source: Source, at: number): BraceHint {
  const escape = source.host?.style === 'double' ? '\\\\{' : '\\{'
  const before = /\\[A-Za-z]+$/.exec(source.text.slice(Math.max(0, at - 20), at))?.[0]
  const inside = before && /^\{[^}\n]{0,30}\}/.exec(source.text.slice(at, at + 32))?.[0]
  return inside ? { escape, guess: `${before}${escape}${inside.slice(1)}` } : { escape }
}
