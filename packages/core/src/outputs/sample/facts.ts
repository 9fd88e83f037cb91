/** What is known of a record, in pieces that fit into sentences. */
export interface Facts {
  /** What the record is called, such as "Storm lantern". */
  readonly subject: string
  /** Short texts, lists and figures, each under its name in words: `{ label: 'materials', value: ['brass', 'glass'] }`. */
  readonly named: readonly Fact[]
  /** Single words of the short texts, in small letters. */
  readonly words: readonly string[]
  readonly numbers: readonly number[]
  /** The beginnings of all words: what labels are compared with. */
  readonly stems: ReadonlySet<string>
}

export interface Fact {
  readonly label: string
  readonly value: string | number | readonly string[]
}

/** Letters at the beginning of a word by which two words count as the same. */
const STEM = 5
/** Characters in the longest text that is used as it is, and characters that are read of a longer one. */
const [SHORT, READ] = [48, 2000]
const MOST_FACTS = 24
/** Texts that are safe in a sentence, in JSON and between the fixed text of a row: words, and little between them. */
const PLAIN = /^\p{L}[\p{L}\d]*(?:(?: & |[ -])[\p{L}\d]+)*$/u
const SUBJECTS = /^(?:title|name|heading|headline|subject)$/i
const IDENTIFIERS = /(?:^| )(?:id|no|number|code|key|row)$/i
/** Words that are no keywords. */
const STOP_WORDS = new Set(['from', 'have', 'over', 'that', 'their', 'this', 'under', 'with'])

export function factsOf(values: Readonly<Record<string, unknown>>): Facts {
  const collected = new FactCollector()
  const entries = Object.entries(values)
  const records = entries.filter(([, value]) => typeof value === 'object' && value !== null && !Array.isArray(value))
  // Beside a record, single values are settings of the prompt, such as its audience.
  for (const [name, value] of records.length > 0 ? records : entries) collected.add(name, value, 0)
  return collected.facts()
}

/** Two words that begin alike have the same stem: "cracked" and "cracks". */
export function stemOf(word: string): string {
  return word.toLowerCase().slice(0, STEM)
}

class FactCollector {
  private subject: string | undefined
  private readonly named: Fact[] = []
  private readonly words = new Set<string>()
  private readonly numbers = new Set<number>()
  private readonly stems = new Set<string>()

  add(name: string, value: unknown, depth: number): void {
    if (typeof value === 'number') this.addNumber(name, value)
    else if (typeof value === 'string') this.addText(name, value)
    else if (Array.isArray(value)) this.addList(name, value, depth)
    else if (typeof value === 'object' && value !== null && depth < 3)
      for (const [key, inner] of Object.entries(value)) this.add(key, inner, depth + 1)
  }

  facts(): Facts {
    const { named, words, numbers, stems } = this
    const texts = named.map(({ value }) => value).filter((value) => typeof value === 'string')
    return { subject: this.subject ?? texts[0] ?? 'This record', named, words: [...words], numbers: [...numbers], stems }
  }

  private addNumber(name: string, value: number): void {
    if (!Number.isFinite(value)) return
    this.numbers.add(value)
    if (Number.isInteger(value) && value >= 0) this.addFact(name, value)
  }

  private addText(name: string, text: string): void {
    for (const [word] of text.slice(0, READ).matchAll(/\p{L}{3,}/gu)) this.stems.add(stemOf(word))
    // "Net needle, large" is called a net needle.
    const short = SUBJECTS.test(name) ? (text.split(/[,(\n]/, 1)[0]?.trim() ?? '') : text
    if (short.length > SHORT || !PLAIN.test(short)) return
    if (SUBJECTS.test(name)) this.subject ??= short
    else this.addFact(name, short)
    this.addWords(short)
  }

  private addList(name: string, list: readonly unknown[], depth: number): void {
    const texts = list.filter((item): item is string => typeof item === 'string' && item.length <= SHORT && PLAIN.test(item))
    for (const text of texts) {
      this.addWords(text)
      this.stems.add(stemOf(text))
    }
    if (texts.length > 0) this.addFact(name, texts.slice(0, 4))
    for (const item of list.slice(0, 20)) if (typeof item === 'object') this.add(name, item, depth + 1)
  }

  private addFact(name: string, value: Fact['value']): void {
    const label = name.replace(/[-_.\s]+/g, ' ').trim()
    if (IDENTIFIERS.test(label) || this.named.length >= MOST_FACTS || !PLAIN.test(label)) return
    if (!this.named.some((fact) => fact.label === label)) this.named.push({ label, value })
  }

  private addWords(text: string): void {
    for (const [word] of text.toLowerCase().matchAll(/\p{L}{4,}/gu)) if (!STOP_WORDS.has(word)) this.words.add(word)
  }
}
