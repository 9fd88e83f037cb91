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
    readonly position: number,
  ) {
    super(expected)
  }
}

/** Reads tokens of a slot or directive from `at` up to `end`, which lies on the same line. */
export class Cursor {
  constructor(
    readonly source: Source,
    public position: number,
    readonly end: number,
  ) {}

  blanks(): void {
    const { text } = this.source
    while (this.position < this.end && (text.charCodeAt(this.position) === 32 || text.charCodeAt(this.position) === 9)) this.position++
  }

  get done(): boolean {
    this.blanks()
    return this.position >= this.end
  }

  span(start: number): Span {
    return this.source.span(start, this.position)
  }

  /** The next character after any spaces. */
  peek(): string {
    this.blanks()
    return this.position < this.end ? defined(this.source.text[this.position]) : ''
  }

  /** Takes `character` if it stands here. */
  take(character: string): boolean {
    this.blanks()
    if (this.position + character.length > this.end || !this.source.text.startsWith(character, this.position)) return false
    this.position += character.length
    return true
  }

  /** Takes `character` only directly here, without spaces before it. */
  takeClose(character: string): boolean {
    if (this.position >= this.end || this.source.text[this.position] !== character) return false
    this.position++
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
    this.position += raw.length
    return raw.normalize('NFC')
  }

  takeWord(word: string): boolean {
    this.blanks()
    // Words of the language are tested for far more often than they occur.
    if (!this.source.text.startsWith(word, this.position) || this.match(NAME_HERE) !== word) return false
    this.position += word.length
    return true
  }

  takeNumber(): string | undefined {
    this.blanks()
    const match = this.match(NUMBER_HERE)
    if (match === undefined) return undefined
    this.position += match.length
    return match
  }

  takeInteger(): string | undefined {
    this.blanks()
    const match = this.match(INTEGER_HERE)
    if (match === undefined) return undefined
    this.position += match.length
    return match
  }

  /** A string in double quotes with `\"`, `\\`, `\n`, `\t`. */
  takeString(): string | undefined {
    if (this.peek() !== '"') return undefined
    let value = ''
    for (let i = this.position + 1; i < this.end; i++) {
      const character = defined(this.source.text[i])
      if (character === '"') {
        this.position = i + 1
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
    throw new Unreadable(expected, this.position)
  }

  private match(pattern: RegExp): string | undefined {
    pattern.lastIndex = this.position
    const match = pattern.exec(this.source.text)?.[0]
    return match !== undefined && this.position + match.length <= this.end ? match : undefined
  }
}

/**
 * How the brace at `at` is written as a plain character. In a double-quoted YAML scalar the backslash itself is doubled; after `\p`, `\begin`
 * and the like the whole expression was most likely meant.
 */
export function braceHint(source: Source, position: number): BraceHint {
  const escape = source.host?.style === 'double' ? '\\\\{' : '\\{'
  const before = /\\[A-Za-z]+$/.exec(source.text.slice(Math.max(0, position - 20), position))?.[0]
  const inside = before && /^\{[^}\n]{0,30}\}/.exec(source.text.slice(position, position + 32))?.[0]
  return inside ? { escape, guess: `${before}${escape}${inside.slice(1)}` } : { escape }
}
