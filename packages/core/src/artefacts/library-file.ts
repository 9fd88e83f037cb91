import { DEFAULT_PERSONAL, type PersonalSettings } from '../values/personal/detector.js'
import { isCountry } from '../values/personal/telephone.js'
import { defined } from '../invariant.js'
import { DEFAULT_LIMITS, type LibraryModel, type Limits } from './artefacts.js'
import { readAudit } from './audit.js'
import { Keys } from './keys.js'
import { readScreens } from './screens.js'
import { readSettings } from './settings.js'
import { problem, type Report } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'
import { localeOf } from '../values/locale.js'

export const LIBRARY_KEYS = {
  id: 'text',
  title: 'text',
  about: 'text',
  locale: 'text',
  country: 'text',
  settings: 'map',
  limits: 'map',
  screens: 'list',
  fence: 'map',
  'personal-data': 'map',
  audit: 'map',
} as const
export const FENCE_KEYS = { nonce: 'boolean' } as const
export const PERSONAL_KEYS = { 'min-score': 'number', names: 'list' } as const
export const LIMIT_KEYS = {
  nesting: 'integer',
  repeats: 'integer',
  'rendering-bytes': 'integer',
  'attachment-bytes': 'integer',
  'reply-characters': 'integer',
  steps: 'integer',
  aliases: 'integer',
} as const

/** What a library's id looks like. */
const LIBRARY_ID = /^[A-Za-z0-9_-]{16,64}$/

/** dunelight.yaml */
export function readLibraryFile(root: YamlNode, report: Report): LibraryModel {
  const keys = new Keys(root, 'dunelight.yaml', LIBRARY_KEYS, report)
  const locale = keys.text('locale')
  if (locale !== undefined && !localeOf(locale)) report(problem('locale-unknown', { name: locale }, defined(keys.get('locale')).span))
  const id = keys.text('id')
  if (id !== undefined && !LIBRARY_ID.test(id))
    report(problem('key-invalid', { key: 'id', expected: '16 to 64 letters and digits', found: JSON.stringify(id) }, keys.get('id')?.span))
  return {
    id,
    audit: readAudit(keys.get('audit'), report),
    title: keys.text('title'),
    locale,
    settings: readSettings(keys.get('settings'), report),
    screens: readScreens(keys.get('screens'), report),
    nonce: readFence(keys.get('fence'), report),
    personal: readPersonal(keys, report),
    limits: readLimits(keys.get('limits'), report),
  }
}

function readFence(node: YamlNode | undefined, report: Report): boolean {
  return node ? (new Keys(node, 'fence', FENCE_KEYS, report).boolean('nonce') ?? false) : false
}

function readPersonal(library: Keys<keyof typeof LIBRARY_KEYS>, report: Report): PersonalSettings {
  const node = library.get('personal-data')
  const keys = node && new Keys(node, 'personal-data', PERSONAL_KEYS, report)
  const minScore = keys?.number('min-score') ?? DEFAULT_PERSONAL.minScore
  if (minScore < 0 || minScore > 1)
    report(
      problem('key-invalid', { key: 'min-score', expected: 'a number from 0 to 1', found: String(minScore) }, keys?.keySpan('min-score')),
    )
  const country = library.text('country')
  if (country !== undefined && !isCountry(country))
    report(
      problem(
        'key-invalid',
        { key: 'country', expected: 'a country as two letters, such as GB', found: `"${country}"` },
        library.keySpan('country'),
      ),
    )
  return { country, minScore, names: keys?.texts('names') ?? [] }
}

function readLimits(node: YamlNode | undefined, report: Report): Limits {
  if (!node) return DEFAULT_LIMITS
  const keys = new Keys(node, 'limits', LIMIT_KEYS, report)
  const read = (key: keyof typeof LIMIT_KEYS, usual: number): number => {
    const value = keys.number(key)
    if (value === undefined || value >= 1) return value ?? usual
    report(problem('key-invalid', { key, expected: 'a whole number from 1', found: String(value) }, defined(keys.get(key)).span))
    return usual
  }
  return {
    nesting: read('nesting', DEFAULT_LIMITS.nesting),
    repeats: read('repeats', DEFAULT_LIMITS.repeats),
    renderingBytes: read('rendering-bytes', DEFAULT_LIMITS.renderingBytes),
    attachmentBytes: read('attachment-bytes', DEFAULT_LIMITS.attachmentBytes),
    replyCharacters: read('reply-characters', DEFAULT_LIMITS.replyCharacters),
    steps: read('steps', DEFAULT_LIMITS.steps),
    aliases: read('aliases', DEFAULT_LIMITS.aliases),
  }
}
