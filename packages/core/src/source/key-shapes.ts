/** One shape of an access key: its pattern, and the conditions on what the pattern finds. */
export interface KeyShape {
  readonly name: string
  readonly shape: RegExp
  /** The part of a match that is the key; the whole match where it has no group. */
  readonly holds?: (key: string) => boolean
}

const prefixed = (name: string, prefix: string, tail: string): KeyShape => ({
  name,
  shape: new RegExp(`(?<![A-Za-z0-9_-])${prefix}${tail}(?![A-Za-z0-9])`, 'g'),
})

/** Words that name a secret, before `:` or `=`. */
const SECRET_WORDS =
  '(?:api|access|secret|private|signing|account|auth|x)[-_ ]?(?:key|token|secret|pass)|key|token|secret|password|passwd|passphrase|pwd|pass|authorization|credentials?|bearer'

/**
 * Shapes of keys, found anywhere in a text. Most services begin theirs with a prefix of their own, so that they can be found; the rest is
 * recognised by its alphabet, its length and how evenly it uses it.
 */
export const KEY_SHAPES: readonly KeyShape[] = [
  { name: 'private key', shape: /-----BEGIN (?:[A-Z0-9]+ )*PRIVATE KEY(?: BLOCK)?-----/g },
  { name: 'signed token', shape: /(?<![\w-])eyJ[\w-]{8,}\.eyJ[\w-]{8,}\.[\w-]{4,}/g },
  { name: 'bearer token', shape: /(?<![\w-])bearer\s+([\w.~+/-]{16,}=*)/gi, holds: (key) => /\d/.test(key) && /[a-z]/i.test(key) },
  { name: 'basic credentials', shape: /(?<![\w-])basic\s+([A-Za-z0-9+/]{8,}={0,2})(?![A-Za-z0-9+/=])/gi, holds: isBasic },
  { name: 'password in an address', shape: /(?<![\w+.-])[a-z][a-z0-9+.-]{1,20}:\/\/[^\s:/@"'<>{}]{0,64}:([^\s/@"'<>{}]{3,100})@/gi },
  prefixed(
    'secret key',
    '(?:sk|pk|rk|ak|key|tok|pat|whsec|secret)[-_]',
    '(?=[\\w-]*\\d)(?=[\\w-]*[A-Za-z])(?:[A-Za-z0-9]+[-_]){0,4}[A-Za-z0-9_-]{20,}',
  ),
  prefixed('access key id', '(?:A3T[A-Z0-9]|AKIA|ASIA|AGPA|AIDA|AROA|AIPA|ANPA|ANVA)', '[A-Z0-9]{16}'),
  prefixed('web key', 'AIza', '[\\w-]{35}'),
  prefixed('web token', 'ya29\\.', '[\\w-]{20,}'),
  prefixed('client secret', 'GOCSPX-', '[\\w-]{20,}'),
  prefixed('code host token', 'gh[pousr]_', '[A-Za-z0-9]{36,}'),
  prefixed('code host token', 'git[a-z]{3}_pat_', '[A-Za-z0-9_]{22,}'),
  prefixed('code host token', 'gl[a-z]{1,4}-', '[\\w-]{20,}'),
  prefixed('registry token', 'npm_', '[A-Za-z0-9]{36}'),
  prefixed('registry token', 'pypi-', '[\\w-]{40,}'),
  prefixed('registry token', 'dckr_pat_', '[\\w-]{20,}'),
  prefixed('chat token', 'xox[abeoprs]-', '[A-Za-z0-9-]{10,}'),
  prefixed('chat token', 'xapp-', '[A-Za-z0-9-]{20,}'),
  { name: 'chat token', shape: /(?<![\w-])\d{8,10}:[A-Za-z0-9_-]{35}(?![\w-])/g },
  { name: 'chat token', shape: /(?<![\w-])[MNO][A-Za-z0-9_-]{23,27}\.[\w-]{6}\.[\w-]{27,}/g },
  prefixed('mail key', 'SG\\.', '[\\w-]{16,}\\.[\\w-]{16,}'),
  prefixed('mail key', 'key-', '[0-9a-f]{32}'),
  prefixed('model key', '(?:hf|r8|gsk|nvapi|xai|csk|pplx|fw|tgp|jina|voyage|co)[-_]', '(?=[\\w-]*[A-Z0-9])[\\w-]{28,}'),
  prefixed('shop token', 'shp(?:at|ca|pa|ss)_', '[0-9a-fA-F]{32}'),
  prefixed('payment token', 'sq0(?:csp|atp)-', '[\\w-]{22,}'),
  prefixed('cloud token', '(?:dop|doo|dor)_v1_', '[0-9a-f]{64}'),
  prefixed('issue token', 'lin_(?:api|oauth)_', '[A-Za-z0-9]{32,}'),
  prefixed('page token', '(?:ntn|secret)_', '[A-Za-z0-9]{40,}'),
  prefixed('encryption key', 'AGE-SECRET-KEY-1', '[A-Z0-9]{50,}'),
  { name: 'storage key', shape: /(?<![A-Za-z])(?:AccountKey|SharedAccessKey)=([A-Za-z0-9+/]{40,}={0,2})/g },
  {
    name: 'named secret',
    shape: new RegExp(`(?<![A-Za-z0-9])(?:${SECRET_WORDS})["']?\\s*[:=]\\s*["']?([A-Za-z0-9+/_.~-]{16,200})(?![A-Za-z0-9+/_.~{-])`, 'gi'),
    holds: isRandom,
  },
]

/** Keys of a file whose values are digests and names, which look as random as a key. */
const DIGESTS = /(?:sha\d*|digest|hash|fingerprint|checksum|commit|etag|revision|integrity|uuid|guid|id)$/i

/** In a library's own files, a value that is one random token is a key, whatever its name: `settings: { extra: 9f2c… }`. */
const RANDOM_VALUE: KeyShape = {
  name: 'random value',
  shape: /(?<=[\s{,[])(?:["']?[\w-]+["']?):[ \t]+["']?([a-z0-9]{24,200}|[A-Za-z0-9+/_-]{32,200}={0,2})["']?(?=[ \t]*(?:[,}\]\n#]|$))/gm,
  holds: isRandom,
}

/** Every key contains a run of this many characters from the table below, or follows one of these words. */
const SHORTEST_RUN = 16
const BEFORE_SHORT_KEY = /basic\s|:\/\/|-----BEGIN/i
const IN_KEY = new Uint8Array(128)
for (const character of 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_.~+/-') IN_KEY[character.charCodeAt(0)] = 1

/** Whether a text may hold a key. Most texts cannot, and this is much faster than a search for each shape. */
function mayHoldKey(text: string): boolean {
  const isIn = (at: number) => IN_KEY[text.charCodeAt(at)] === 1
  // A run of 16 characters covers one of these places.
  for (let place = SHORTEST_RUN - 1; place < text.length; place += SHORTEST_RUN) {
    if (!isIn(place)) continue
    let start = place
    while (start > place - SHORTEST_RUN + 1 && isIn(start - 1)) start--
    let end = place + 1
    while (end - start < SHORTEST_RUN && isIn(end)) end++
    if (end - start === SHORTEST_RUN) return true
  }
  return BEFORE_SHORT_KEY.test(text)
}

/** A span of a text that has the shape of a key. */
export interface FoundKey {
  readonly name: string
  readonly start: number
  readonly end: number
}

/** The keys in a text, each once, in its order. */
export function keysIn(text: string, shapes: readonly KeyShape[] = KEY_SHAPES): FoundKey[] {
  const keys: FoundKey[] = []
  if (!mayHoldKey(text)) return keys
  for (const { name, shape, holds } of shapes) {
    for (const match of text.matchAll(shape)) {
      const key = match[1] ?? match[0]
      const start = match.index + match[0].lastIndexOf(key)
      if (!holds || holds(key)) keys.push({ name, start, end: start + key.length })
    }
  }
  const sorted = keys.sort((a, b) => a.start - b.start || b.end - a.end)
  return sorted.filter((foundKey, i) => sorted.slice(0, i).every((other) => other.end <= foundKey.start))
}

/** The keys in a file of a library. */
export function keysInFile(text: string): FoundKey[] {
  const shapes = [...KEY_SHAPES, RANDOM_VALUE]
  return keysIn(text, shapes).filter(({ name, start }) => {
    if (name !== RANDOM_VALUE.name) return true
    const key = /["']?([\w-]+)["']?:[ \t]+["']?$/.exec(text.slice(Math.max(0, start - 80), start))?.[1] ?? ''
    return !DIGESTS.test(key)
  })
}

export function holdsKey(text: string): boolean {
  if (!mayHoldKey(text)) return false
  return KEY_SHAPES.some(({ shape, holds }) => {
    if (!holds) return text.search(shape) >= 0
    for (const match of text.matchAll(shape)) if (holds(match[1] ?? match[0])) return true
    return false
  })
}

/** A text in which no key can be read; every other character keeps its place. */
export function withoutKeys(text: string): string {
  let out = ''
  let position = 0
  for (const { start, end } of keysInFile(text)) {
    out += text.slice(position, start) + '•'.repeat(end - start)
    position = end
  }
  return out + text.slice(position)
}

/** Shannon's entropy, in bits for each character. */
function entropy(text: string): number {
  const counts = new Map<string, number>()
  for (const character of text) counts.set(character, (counts.get(character) ?? 0) + 1)
  let bits = 0
  for (const count of counts.values()) bits -= (count / text.length) * Math.log2(count / text.length)
  return bits
}

/** Shorter tokens are names, numbers and dates. */
const SHORTEST_RANDOM = 16

/** Letters and digits in turn, as no name, path, date or UUID has them. */
function isRandom(key: string): boolean {
  const longest = key.split(/[-_./+~]/).reduce((a, b) => (b.length > a.length ? b : a))
  const count = (pattern: RegExp) => longest.match(pattern)?.length ?? 0
  const turns = count(/[a-z](?=\d)|\d(?=[a-z])/gi)
  const capitals = count(/[a-z](?=[A-Z])/g)
  return longest.length >= SHORTEST_RANDOM && (turns >= 3 || (turns >= 1 && capitals >= 5)) && entropy(longest) >= 3
}

/** `user:password` in Base64. */
function isBasic(key: string): boolean {
  if (key.length % 4 !== 0) return false
  const plain = fromBase64(key)
  return /^[\x20-\x7e]+$/.test(plain) && /^[^:]*:.+/.test(plain)
}

const BASE64 = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/'

function fromBase64(text: string): string {
  let bits = 0
  let size = 0
  let out = ''
  for (const character of text.replace(/=+$/, '')) {
    bits = ((bits << 6) | BASE64.indexOf(character)) & 0xffff
    size += 6
    if (size >= 8) out += String.fromCharCode((bits >> (size -= 8)) & 0xff)
  }
  return out
}
