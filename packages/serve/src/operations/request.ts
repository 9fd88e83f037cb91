import type { RenderOptions } from 'dunelight'
import { isDeeper, nearest, parseJson } from 'dunelight/host'
import { ServiceFault } from '../faults/fault.js'

/** What a caller sends to render or to ask. */
export interface PromptRequest {
  readonly values: Readonly<Record<string, unknown>>
  readonly edition?: number
  readonly channel?: string
  readonly locale?: string
  readonly seed?: number
}

/** What a caller sends to have a reply read. */
export interface ReadRequest extends PromptRequest {
  readonly text: string
}

type Key = keyof ReadRequest

/** Levels of nesting that a request may have. */
const DEEPEST = 100

const CHECKS: { readonly [K in Key]: { readonly expected: string; readonly fits: (value: unknown) => boolean } } = {
  values: { expected: 'an object', fits: (value) => typeof value === 'object' && value !== null && !Array.isArray(value) },
  edition: { expected: 'a whole number from 1', fits: (value) => Number.isSafeInteger(value) && (value as number) >= 1 },
  channel: { expected: 'a text', fits: isText },
  locale: { expected: 'a text', fits: isText },
  seed: { expected: 'a whole number', fits: (value) => Number.isSafeInteger(value) },
  text: { expected: 'a text', fits: isText },
}
const RENDER_KEYS: readonly Key[] = ['values', 'edition', 'channel', 'locale', 'seed']

/**
 * The body of a request to render or to ask.
 *
 * @throws ServiceFault if it is no JSON, or has keys of its own.
 */
export function promptRequest(body: string): PromptRequest {
  return checked(parsed(body), RENDER_KEYS)
}

/** The body of a request to have a reply read. */
export function readRequest(body: string): ReadRequest {
  const request = checked(parsed(body), [...RENDER_KEYS, 'text'])
  if (request.text === undefined) throw invalid('"text" is missing: the reply that is to be read')
  return { ...request, text: request.text }
}

/** How a request has its prompt rendered. */
export function renderOptions({ locale, seed }: PromptRequest): RenderOptions {
  return { ...(locale !== undefined && { locale }), ...(seed !== undefined && { seed }) }
}

function parsed(body: string): unknown {
  let data: unknown
  try {
    data = parseJson(body)
  } catch {
    throw invalid('the body is not valid JSON')
  }
  if (isDeeper(data, DEEPEST)) throw invalid(`the body has more than ${DEEPEST} levels`)
  return data
}

function checked(data: unknown, keys: readonly Key[]): PromptRequest & Partial<ReadRequest> {
  if (!CHECKS.values.fits(data)) throw invalid('the body must be an object')
  for (const [key, value] of Object.entries(data as object)) {
    const known = keys.find((item) => item === key)
    if (!known) {
      const near = nearest(key, keys)
      throw invalid(`unknown key "${key.slice(0, 60)}"${near === undefined ? `; values go into "values"` : `; did you mean "${near}"?`}`)
    }
    if (!CHECKS[known].fits(value)) throw invalid(`"${known}" must be ${CHECKS[known].expected}`)
  }
  return { values: {}, ...(data as object) }
}

function invalid(message: string): ServiceFault {
  return new ServiceFault('request-invalid', message)
}

function isText(value: unknown): boolean {
  return typeof value === 'string'
}
