// JSON as models write it. JSON.parse comes first, elsewhere; this reads what it refused, in one pass, and reports each repair. A grammar
// production is above each step; "loose" marks what RFC 8259 does not allow.
import { defined } from '../../invariant.js'
import { put } from '../../values/data.js'
import { exactNumber } from '../../values/json.js'

/** What was let pass, and where. */
export interface Lapse {
  readonly message: string
  readonly start: number
  readonly end: number
}

export interface Extent {
  readonly start: number
  readonly end: number
}

/** One value that was read out of a text. */
export interface Loose {
  readonly value: unknown
  readonly start: number
  readonly end: number
  readonly lapses: readonly Lapse[]
  /** Set where the text ended before the value did: the key within which it did; `clean` where only closing brackets are missing. */
  readonly cut: { readonly within: string; readonly clean: boolean } | undefined
  /** The places of the members of each object and list. */
  readonly extents: ReadonlyMap<object, ReadonlyMap<string, Extent>>
}

/** Deeper than any answer is. */
const DEEPEST = 100
/** What is let pass is worth a line each only so often. */
const MOST_LAPSES = 50

const QUOTES: Readonly<Record<string, string>> = { '"': '"', "'": "'", '“': '”', '„': '“', '‘': '’', '`': '`' }
const SPACES = /[\s\uFEFF]*/uy
const NUMBER = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?/y
const BARE_KEY = /[\p{L}_$][\p{L}\p{N}_$-]*/uy
const BARE_WORD = /[^,[\]{}\n"]+/y
const STRING_RUN = /[^"'“”‘’`\\\n\r]+/y
const ESCAPES: Readonly<Record<string, string>> = { n: '\n', t: '\t', r: '\r', b: '\b', f: '\f' }
const WORDS: Readonly<Record<string, unknown>> = { true: true, false: false, null: null }
const LOOSE_WORDS: Readonly<Record<string, unknown>> = {
  True: true,
  False: false,
  TRUE: true,
  FALSE: false,
  None: null,
  undefined: null,
  NULL: null,
  NaN: null,
}

/** The value that begins at `start`, or undefined if none can be read; `end` is set in any case. */
export function readLoose(
  text: string,
  start: number,
  last = text.trimEnd().length,
): { readonly loose: Loose | undefined; readonly end: number } {
  const reader = new LooseReader(text, start, last)
  try {
    const value = reader.value(0)
    const { position: end, lapses, extents, cut } = reader
    return { loose: { value, start, end, lapses, cut, extents }, end }
  } catch (fault) {
    if (!(fault instanceof NoValue)) throw fault
    return { loose: undefined, end: reader.position }
  }
}

class NoValue extends Error {
  override readonly name: string = 'NoValue'
}

const NOTHING: string | undefined = undefined

class LooseReader {
  readonly lapses: Lapse[] = []
  readonly extents = new Map<object, Map<string, Extent>>()
  cut: Loose['cut']
  private readonly path: string[] = []

  constructor(
    private readonly text: string,
    public position: number,
    /** Where the text ends but for spaces and line breaks. */
    private readonly last: number,
  ) {}

  private lapse(message: string, start: number, end = this.position): void {
    if (this.lapses.length < MOST_LAPSES && !this.lapses.some((lapse) => lapse.message === message))
      this.lapses.push({ message, start, end })
  }

  /** Spaces, and (loose) comments. */
  private skip(): void {
    for (;;) {
      SPACES.lastIndex = this.position
      SPACES.exec(this.text)
      this.position = SPACES.lastIndex
      const end = this.commentEnd()
      if (end === undefined) return
      const start = this.position
      this.position = end
      this.lapse('the JSON has a comment', start)
    }
  }

  private commentEnd(): number | undefined {
    const { text, position: offset } = this
    if (text[offset] === '#' || text.startsWith('//', offset)) {
      const end = text.indexOf('\n', offset)
      return end < 0 ? text.length : end
    }
    if (!text.startsWith('/*', offset) || this.unclosed) return undefined
    const end = text.indexOf('*/', offset + 2)
    this.unclosed = end < 0
    return end < 0 ? undefined : end + 2
  }

  /** No comment is closed from here on: known once, or every opening would look through the rest of the text. */
  private unclosed = false

  /** The text ends here: open lists and objects have what they have so far. Returns the mark for a missing value. */
  private cutOff(clean = false): typeof NOTHING {
    this.cut ??= { within: this.path.join('.'), clean }
    this.position = this.text.length
    return NOTHING
  }

  private fail(): never {
    throw new NoValue()
  }

  /** value = object | list | string | number | word */
  value(depth: number): unknown {
    if (depth > DEEPEST) this.fail()
    this.skip()
    const character = this.text[this.position]
    if (character === undefined) return this.cutOff()
    if (character === '{') return this.object(depth)
    if (character === '[') return this.list(depth)
    if (character in QUOTES) return this.string()
    return this.bare()
  }

  /** object = "{" [ member { "," member } ] "}" */
  private object(depth: number): Record<string, unknown> {
    const object: Record<string, unknown> = {}
    const extents = new Map<string, Extent>()
    this.extents.set(object, extents)
    this.position++
    for (let first = true; ; first = false) {
      if (this.closes('}', first)) return object
      const keyAt = this.position
      const key = this.key()
      if (key === undefined) return object
      this.path.push(key)
      this.skip()
      if (this.position >= this.text.length) this.cutOff()
      else if (this.text[this.position] !== ':') this.fail()
      else this.position++
      this.skip()
      const start = this.position
      const value = this.value(depth + 1)
      if (value !== undefined) {
        if (Object.hasOwn(object, key)) this.lapse(`the key "${key}" occurs twice; the last one is used`, keyAt)
        put(object, key, value)
        extents.set(key, { start, end: this.position })
      }
      this.path.pop()
      if (this.cut) return object
    }
  }

  /** list = "[" [ value { "," value } ] "]" */
  private list(depth: number): unknown[] {
    const list: unknown[] = []
    const extents = new Map<string, Extent>()
    this.extents.set(list, extents)
    this.position++
    for (let first = true; ; first = false) {
      if (this.closes(']', first)) return list
      const start = this.position
      const value = this.value(depth + 1)
      if (value !== undefined) {
        list.push(value)
        extents.set(String(list.length), { start, end: this.position })
      }
      if (this.cut) return list
    }
  }

  /** What stands between members: a comma, or the end. Loose: a comma too many, or none. */
  private closes(closer: string, first: boolean): boolean {
    this.skip()
    let comma = -1
    while (this.text[this.position] === ',') {
      if (first || comma >= 0) this.lapse('a comma is one too many', this.position, this.position + 1)
      comma = this.position++
      this.skip()
    }
    const character = this.text[this.position]
    if (character === undefined) {
      // Behind a whole value only the bracket is missing; behind a comma, or an opening bracket, more would have come.
      this.cutOff(!first && comma < 0)
      return true
    }
    if (character === closer) {
      if (comma >= 0 && !first) this.lapse('there is a comma before a closing bracket', comma, comma + 1)
      this.position++
      return true
    }
    if (character === '}' || character === ']') this.fail()
    if (!first && comma < 0) this.lapse('a comma is missing', this.position, this.position)
    return false
  }

  /** key = string; loose: a bare name */
  private key(): string | undefined {
    if (defined(this.text[this.position]) in QUOTES) return this.string()
    BARE_KEY.lastIndex = this.position
    const [key] = BARE_KEY.exec(this.text) ?? this.fail()
    const start = this.position
    this.position = BARE_KEY.lastIndex
    if (this.position >= this.text.length) return this.cutOff()
    this.lapse('a key has no quotes', start)
    return key
  }

  /** string = '"' { character | escape } '"'; loose: other quotes, line ends, quotes within */
  private string(): string | undefined {
    const { text } = this
    const start = this.position
    const opener = defined(text[start])
    const closer = defined(QUOTES[opener])
    if (opener !== '"') this.lapse('a text has quotes other than "', start, start + 1)
    this.position++
    let out = ''
    for (;;) {
      STRING_RUN.lastIndex = this.position
      const run = STRING_RUN.exec(text)
      if (run) {
        out += run[0]
        this.position = STRING_RUN.lastIndex
      }
      const character = text[this.position]
      if (character === undefined) return this.cutOff()
      if (character === '\\') out += this.escape()
      else if (character === closer && this.endsHere()) {
        this.position++
        return out
      } else {
        if (character === '\n') this.lapse('there is a line break in a text', this.position, this.position + 1)
        if (character === closer) this.lapse('there is an unescaped quote in a text', this.position, this.position + 1)
        out += character
        this.position++
      }
    }
  }

  private escape(): string {
    const code = /\\u([0-9a-fA-F]{4})/y
    code.lastIndex = this.position
    const unit = code.exec(this.text)?.[1]
    if (unit !== undefined) {
      this.position += 6
      return String.fromCharCode(parseInt(unit, 16))
    }
    const character = this.text[this.position + 1] ?? ''
    this.position += 2
    return ESCAPES[character] ?? character
  }

  /** Whether a closing quote ends the text: it is followed by what may follow a value or a key. */
  private endsHere(): boolean {
    SPACES.lastIndex = this.position + 1
    SPACES.exec(this.text)
    const character = this.text[SPACES.lastIndex]
    if (character === undefined || character === '}' || character === ']' || character === ':' || character === ',') return true
    // A new line begins the next member, its comma forgotten, or a comment.
    return this.text.slice(this.position + 1, SPACES.lastIndex).includes('\n') || character === '/'
  }

  /** number, true, false, null; loose: words of other languages, texts without quotes */
  private bare(): unknown {
    const { text } = this
    const start = this.position
    NUMBER.lastIndex = start
    const number = NUMBER.exec(text)?.[0]
    BARE_WORD.lastIndex = start
    const word = BARE_WORD.exec(text)?.[0].trimEnd()
    if (word === undefined || word === '') this.fail()
    this.position = start + word.length
    // What the end of the text touches may have lost its own end.
    if (this.position >= this.last) return this.cutOff()
    if (number === word) return exactNumber(number)
    if (Object.hasOwn(WORDS, word)) return WORDS[word]
    if (Object.hasOwn(LOOSE_WORDS, word)) {
      this.lapse(`"${word}" is not a JSON literal`, start)
      return LOOSE_WORDS[word]
    }
    const comment = word.search(/\s(?:\/\/|#|\/\*)/)
    if (comment > 0) {
      this.position = start + comment
      const before = word.slice(0, comment)
      NUMBER.lastIndex = start
      if (NUMBER.exec(text)?.[0] === before) return exactNumber(before)
      if (Object.hasOwn(WORDS, before)) return WORDS[before]
    }
    this.lapse('a text has no quotes', start)
    return text.slice(start, this.position)
  }
}
