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

  /** The next sign, blanks passed over. */
  peek(): string {
    this.blanks()
    return this.at < this.end ? defined(this.source.text[this.at]) : ''
  }

  /** Takes `sign` if it stands here. */
  take(sign: string): boolean {
    this.blanks()
    if (this.at + sign.length > this.end || !this.source.text.startsWith(sign, this.at)) return false
    this.at += sign.length
    return true
  }

  /** Takes `sign` only directly here, no blanks before it. */
  takeClose(sign: string): boolean {
    if (this.at >= this.end || this.source.text[this.at] !== sign) return false
    this.at++
    return true
  }

  /** The name that stands here, in NFC; not taken. */
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
    // Words of the language are asked for far more often than they stand there.
    if (!this.source.text.startsWith(word, this.at) || this.match(NAME_HERE) !== word) return false
    this.at += word.length
    return true
  }

  takeNumber(): string | undefined {
    this.blanks()
    const found = this.match(NUMBER_HERE)
    if (found === undefined) return undefined
    this.at += found.length
    return found
  }

  takeInteger(): string | undefined {
    this.blanks()
    const found = this.match(INTEGER_HERE)
    if (found === undefined) return undefined
    this.at += found.length
    return found
  }

  /** A string in double quotes with `\"`, `\\`, `\n`, `\t`. */
  takeString(): string | undefined {
    if (this.peek() !== '"') return undefined
    let value = ''
    for (let i = this.at + 1; i < this.end; i++) {
      const sign = defined(this.source.text[i])
      if (sign === '"') {
        this.at = i + 1
        return value
      }
      if (sign !== '\\') {
        value += sign
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
    const found = pattern.exec(this.source.text)?.[0]
    return found !== undefined && this.at + found.length <= this.end ? found : undefined
  }
}

/**
 * How the brace at `at` is written as a plain sign. In a double-quoted YAML scalar the backslash itself is doubled; after `\p`, `\begin`
 * and the like the whole expression was most likely meant.
 */
export function braceHint(source: Source, at: number): BraceHint {
  const escape = source.host?.style === 'double' ? '\\\\{' : '\\{'
  const before = /\\[A-Za-z]+$/.exec(source.text.slice(Math.max(0, at - 20), at))?.[0]
  const inside = before && /^\{[^}\n]{0,30}\}/.exec(source.text.slice(at, at + 32))?.[0]
  return inside ? { escape, guess: `${before}${escape}${inside.slice(1)}` } : { escape }
}
