import { CLOSERS, OPENERS, SLASHES } from './suspect.js'

/** A text folded to what a reader takes it for: each sign with the stretch of the text that it stands for. */
export interface Skeleton {
  /** Folded signs: brackets as `<`, `>` and `/`, letters small and plain, blanks and invisible signs gone. */
  readonly signs: readonly string[]
  readonly starts: readonly number[]
  readonly ends: readonly number[]
  /** Whether a blank or a line end stood before the sign. */
  readonly gaps: readonly boolean[]
}

// The class lists combining signs on purpose: each is looked for by itself.
// eslint-disable-next-line no-misleading-character-class
const INVISIBLE = /[\p{Cf}\p{Mn}\p{Me}\u115F\u1160\u3164\uFFA0\u17B4\u17B5\u180B-\u180F\uFE00-\uFE0F]/u
const BLANK = /[\s\p{Z}\p{Cc}\u2800]/u

/** Letters that look like those of the Latin alphabet. A tag is folded the same way, so a sign too many here costs nothing. */
const LOOKALIKES = new Map<string, string>()
const GROUPS = [
  'aаαɑ⍺ᴀ',
  'bвьЬƅᏏ',
  'cсϲᴄⅽ',
  'dԁɗⅾժ',
  'eеєҽεℯ',
  'fғſƒ',
  'gɡցǥ',
  'hнһհ',
  'iіıɩιІ1lӏ|ǀⅼ∣!',
  'jјϳ',
  'kкκᴋ',
  'mмⅿᴍ',
  'nոпηɴ',
  'oоοօ0σ٥०º',
  'pрρᴘ',
  'qԛզ',
  'rгᴦʀɾ',
  'sѕꜱ',
  'tтτᴛ',
  'uυսᴜ',
  'vνѵᴠⅴ',
  'wԝѡᴡω',
  'xхχⅹ',
  'yуγүʏ',
  'zᴢ',
  '-‐‑‒–—−',
  '_ˍ',
]
for (const group of GROUPS) for (const sign of group) LOOKALIKES.set(sign.toLowerCase(), group[0]!)
for (const sign of OPENERS) LOOKALIKES.set(sign, '<')
for (const sign of CLOSERS) LOOKALIKES.set(sign, '>')
for (const sign of SLASHES) LOOKALIKES.set(sign, '/')

const NAMED: Readonly<Record<string, string>> = {
  lt: '<',
  gt: '>',
  sol: '/',
  amp: '&',
  bsol: '\\',
  percnt: '%',
  num: '#',
  semi: ';',
  lowbar: '_',
  hyphen: '-',
  dash: '-',
  nbsp: '',
  zwj: '',
  zwnj: '',
  shy: '',
}

/** Folds a text; references are decoded three times over, since they may be escaped themselves. */
export function fold(text: string): Skeleton {
  let skeleton = plainSigns(text)
  for (let i = 0; i < 3; i++) {
    const decoded = decodeReferences(skeleton)
    if (decoded.signs.length === skeleton.signs.length) break
    skeleton = decoded
  }
  return { ...skeleton, signs: skeleton.signs.map(alike) }
}

export function foldName(name: string): string {
  return fold(name).signs.join('')
}

function alike(sign: string): string {
  return LOOKALIKES.get(sign) ?? sign
}

function plainSigns(text: string): Skeleton {
  const signs: string[] = []
  const starts: number[] = []
  const ends: number[] = []
  const gaps: boolean[] = []
  let gap = false
  let at = 0
  for (const sign of text) {
    const start = at
    at += sign.length
    if (BLANK.test(sign)) gap = true
    else if (!INVISIBLE.test(sign)) {
      // Brackets look alike before compatibility takes them apart; letters after it.
      const known = LOOKALIKES.get(sign)
      const folded =
        known === '<' || known === '>' || known === '/'
          ? known
          : sign
              .normalize('NFKD')
              .replace(/[\p{M}\s]/gu, '')
              .toLowerCase()
      for (const one of folded) {
        signs.push(one)
        starts.push(start)
        ends.push(at)
        gaps.push(gap)
        gap = false
      }
    }
  }
  return { signs, starts, ends, gaps }
}

/** `&lt;`, `&#60;`, `&#x3c;`, `\u003c`, `\x3c`, `%3c` and `\/` as the signs that they mean. */
function decodeReferences(from: Skeleton): Skeleton {
  const { signs } = from
  const out: { signs: string[]; starts: number[]; ends: number[]; gaps: boolean[] } = { signs: [], starts: [], ends: [], gaps: [] }
  for (let i = 0; i < signs.length;) {
    const found = signs[i] === '&' || signs[i] === '%' || signs[i] === '\\' ? reference(signs, i) : undefined
    const length = found?.length ?? 1
    const decoded = found ? found.sign : signs[i]!
    if (decoded !== '' && !(found && (BLANK.test(decoded) || INVISIBLE.test(decoded)))) {
      out.signs.push(decoded)
      out.starts.push(from.starts[i]!)
      out.ends.push(from.ends[i + length - 1]!)
      out.gaps.push(from.gaps[i]!)
    }
    i += length
  }
  return out
}

function reference(signs: readonly string[], at: number): { sign: string; length: number } | undefined {
  const ahead = signs.slice(at, at + 14).join('')
  const named = /^&([a-z]{2,6});?/.exec(ahead)
  if (named) {
    const name =
      Object.keys(NAMED).find((n) => named[1] === n) ??
      Object.keys(NAMED).find((n) => named[1]!.startsWith(n) && !ahead.startsWith(`&${named[1]!};`))
    if (name !== undefined) return { sign: NAMED[name]!, length: ahead[name.length + 1] === ';' ? name.length + 2 : name.length + 1 }
  }
  const numbered = /^&#(?:x([0-9a-f]{1,8})|(\d{1,9}));?/.exec(ahead)
  const hex = /^(?:\\u\{([0-9a-f]{1,6})\}|\\u([0-9a-f]{4})|\\x([0-9a-f]{2})|%([0-9a-f]{2}))/.exec(ahead)
  if (hex) return coded(parseInt(hex[1] ?? hex[2] ?? hex[3] ?? hex[4] ?? '', 16), hex[0].length)
  if (numbered) return coded(numbered[1] !== undefined ? parseInt(numbered[1], 16) : Number(numbered[2]), numbered[0].length)
  return ahead.startsWith('\\/') ? { sign: '/', length: 2 } : undefined
}

function coded(code: number, length: number): { sign: string; length: number } | undefined {
  if (!(code >= 0 && code <= 0x10ffff)) return undefined
  const sign = String.fromCodePoint(code)
  return { sign: LOOKALIKES.get(sign) ?? sign.normalize('NFKD').toLowerCase().slice(0, 2), length }
}
