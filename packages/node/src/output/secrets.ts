import { defined } from 'dunelight/host'
// Secrets come from the environment alone, and leave this process only in the requests that they are for. A service may send one back: in an
// error, a redirect, a reply. So every text is looked through before it is written or shown.

/** The replacement of a secret. */
export const REDACTED = '[secret]'

/** A part of a secret that is longer than this is redacted anywhere: messages are cut, and lines are wrapped. */
const LONGEST_SHOWN = 8
/** A shorter value is not a secret: redacting it would change every text that happens to contain it. */
const SHORTEST = 4
const GRAM = LONGEST_SHOWN + 1

/** Every span of this many characters that begins at a multiple of it lies within a part of `GRAM` characters. */
const STEP = (GRAM + 1) >> 1

/** The values that must not be written, in each of the ways in which they could be. */
export class Secrets {
  private readonly whole: string[] = []
  private readonly grams = new Set<string>()
  /** Which characters, three at a time, a part of a secret may have: a first look that leaves most texts. */
  private readonly starts = new Uint8Array(1 << 16)

  get size(): number {
    return this.whole.length + this.grams.size
  }

  /** Has a value redacted from now on, as it is and as it is written in Base64, URLs, JSON, HTML and hexadecimal digits. */
  add(value: string): void {
    if (value.length < SHORTEST) return
    for (const form of formsOf(value)) this.addForm(form)
  }

  /** The text without secrets; the same string where it has none. */
  redact(text: string): string {
    if (this.size === 0) return text
    let out = text
    if (this.grams.size > 0 && this.mayHold(text)) out = this.withoutParts(text)
    for (const short of this.whole) if (out.includes(short)) out = out.replaceAll(short, REDACTED)
    return out
  }

  /** The beginning of a text that is still coming, without secrets: its end is kept back, for it may be the beginning of one. */
  redactBeginning(text: string): string {
    return this.size === 0 ? text : this.redact(text).slice(0, -LONGEST_SHOWN)
  }

  /** The same for bytes of UTF-8. */
  redactBytes(bytes: Uint8Array): Uint8Array {
    if (this.size === 0) return bytes
    const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).toString('latin1')
    const redacted = this.redact(text)
    return redacted === text ? bytes : Buffer.from(redacted, 'latin1')
  }

  private addForm(form: string): void {
    if (form.length < GRAM) {
      if (!this.whole.includes(form)) this.whole.push(form)
      // The longer ones first, which contain the shorter.
      this.whole.sort((a, b) => b.length - a.length)
      return
    }
    for (let index = 0; index + GRAM <= form.length; index++) this.grams.add(form.slice(index, index + GRAM))
    for (let position = 0; position + STEP <= form.length; position++) this.starts[hashAt(form, position)] = 1
  }

  private mayHold(text: string): boolean {
    for (let offset = 0; offset + STEP <= text.length; offset += STEP) if (this.starts[hashAt(text, offset)] === 1) return true
    return false
  }

  private withoutParts(text: string): string {
    let out = ''
    let written = 0
    for (let place = 0; place + GRAM <= text.length; place++) {
      if (this.starts[hashAt(text, place)] === 0 || !this.grams.has(text.slice(place, place + GRAM))) continue
      let end = place + GRAM
      while (end < text.length && this.grams.has(text.slice(end - GRAM + 1, end + 1))) end++
      out += text.slice(written, place) + REDACTED
      written = end
      place = end - 1
    }
    return written === 0 ? text : out + text.slice(written)
  }
}

/** The secrets of this process. */
export const secrets = new Secrets()

function hashAt(text: string, position: number): number {
  return (
    (Math.imul(text.charCodeAt(position), 0x9e5) ^
      Math.imul(text.charCodeAt(position + 1), 0x1f3d) ^
      Math.imul(text.charCodeAt(position + 2), 0x62d1)) &
    0xffff
  )
}

const HTML: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' }

function formsOf(value: string): Set<string> {
  const url = encodeURIComponent(value)
  const json = JSON.stringify(value).slice(1, -1)
  const bytes = Buffer.from(value)
  const forms = new Set([
    value,
    json,
    json.replaceAll('/', '\\/'),
    url,
    url.replace(/%../g, (escape) => escape.toLowerCase()),
    url.replaceAll('%20', '+'),
    value.replace(/[&<>"']/g, (character) => defined(HTML[character])),
    bytes.toString('latin1'),
    bytes.toString('hex'),
    bytes.toString('hex').toUpperCase(),
    ...[0, 1, 2].flatMap((before) => base64Within(bytes, before)),
  ])
  return new Set([...forms].filter((form) => form.length >= SHORTEST))
}

/** The Base64 form of a value between other bytes: only the digits that depend on it alone. */
function base64Within(bytes: Buffer, before: number): string[] {
  const digits = Buffer.concat([Buffer.alloc(before), bytes])
    .toString('base64')
    .replace(/=+$/, '')
  const first = Math.ceil((before * 8) / 6)
  const last = Math.floor(((before + bytes.length) * 8) / 6)
  const own = digits.slice(first, last)
  const whole = before === 0 ? [digits] : []
  return [own, ...whole].flatMap((text) => [text, text.replaceAll('+', '-').replaceAll('/', '_')])
}
