/**
 * Makes the line ends of rows `\n`, whatever they are, and leaves those within quoted cells as they are. The text comes a stretch at a time.
 */
export class LineEnds {
  private quoted = false
  /** The character before what comes next. */
  private before = '\n'
  /** What only the next stretch decides: `\r`, which `\n` may follow, and a quote, which another may. */
  private carried = ''

  constructor(private readonly delimiter: string) {}

  unify(stretch: string): string {
    const text = this.carried + stretch
    this.carried = ''
    // Most texts have no `\r`; then only quotes are kept count of, and only where a `\r` could come later.
    let out = ''
    let from = 0
    for (let at = this.next(text, 0); at >= 0; at = this.next(text, at)) {
      const last = at === text.length - 1
      if (last) {
        this.carried = text[at]!
        return this.keep(out + text.slice(from, at))
      }
      if (this.quoted) {
        const doubled = text[at + 1] === '"'
        this.quoted = doubled
        at += doubled ? 2 : 1
      } else if (text[at] === '"') {
        const opens = at === 0 ? this.before : text[at - 1]!
        this.quoted = opens === this.delimiter || opens === '\n' || opens === '\r'
        at++
      } else {
        out += `${text.slice(from, at)}\n`
        at += text[at + 1] === '\n' ? 2 : 1
        from = at
        this.before = '\n'
      }
    }
    return this.keep(from === 0 ? text : out + text.slice(from))
  }

  /** What was carried, at the end. */
  end(): string {
    const { carried } = this
    this.carried = ''
    return carried === '\r' && !this.quoted ? '\n' : carried
  }

  private keep(text: string): string {
    if (text !== '') this.before = text[text.length - 1]!
    return text
  }

  /** The next character that matters: within quotes a quote, else a quote or `\r`. */
  private next(text: string, from: number): number {
    if (this.quoted) return text.indexOf('"', from)
    STOPS.lastIndex = from
    return STOPS.exec(text)?.index ?? -1
  }
}

const STOPS = /["\r]/g
