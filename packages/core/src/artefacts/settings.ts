import { problem, type Report } from '../problems/problem.js'
import { nearest } from '../problems/suggest.js'
import type { YamlNode } from '../source/yaml.js'

/** The encodings in which tokens can be counted. Default: the first. */
export const TOKEN_ENCODINGS = ['o200k', 'cl100k', 'p50k', 'r50k'] as const
export type TokenEncoding = (typeof TOKEN_ENCODINGS)[number]

const between = (least: number, most: number) => (value: unknown) => typeof value === 'number' && value >= least && value <= most

/** Settings that are known are checked; all are passed on as they are. */
export const KNOWN_SETTINGS: Readonly<Record<string, { expected: string; fits: (value: unknown) => boolean }>> = {
  model: { expected: 'a name', fits: (v) => typeof v === 'string' && v !== '' },
  temperature: { expected: 'a number from 0 to 2', fits: between(0, 2) },
  'top-p': { expected: 'a number from 0 to 1', fits: between(0, 1) },
  'max-tokens': { expected: 'a whole number from 1', fits: (v) => Number.isInteger(v) && Number(v) >= 1 },
  stop: {
    expected: 'a text or a list of texts',
    fits: (v) => typeof v === 'string' || (Array.isArray(v) && v.every((s) => typeof s === 'string')),
  },
  seed: { expected: 'a whole number', fits: (v) => Number.isInteger(v) },
  'token-encoding': {
    expected: `one of ${TOKEN_ENCODINGS.join(', ')}`,
    fits: (v) => (TOKEN_ENCODINGS as readonly unknown[]).includes(v),
  },
  'presence-penalty': { expected: 'a number from -2 to 2', fits: between(-2, 2) },
  'frequency-penalty': { expected: 'a number from -2 to 2', fits: between(-2, 2) },
}

export function readSettings(node: YamlNode | undefined, report: Report): Record<string, unknown> {
  const settings: Record<string, unknown> = {}
  for (const { key, value, keySpan } of node?.entries() ?? []) {
    const data = value.data()
    const known = Object.hasOwn(KNOWN_SETTINGS, key) ? KNOWN_SETTINGS[key] : undefined
    if (known && !known.fits(data)) report(problem('setting-invalid', { key, expected: known.expected }, value.span))
    else if (!known) {
      const near = nearest(key, Object.keys(KNOWN_SETTINGS))
      if (near !== undefined) report(problem('setting-misspelt', { key, near }, keySpan))
      else report(problem('setting-unknown', { key, known: Object.keys(KNOWN_SETTINGS) }, value.span))
    }
    settings[key] = data
  }
  return settings
}
