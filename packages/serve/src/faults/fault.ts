import { ProblemError, problemRecord, type Problem } from 'dunelight'
import { defined } from 'dunelight/host'
import { secrets } from '@dunelight/node/host'

/** What can be wrong with a request: its status, and its sentence in general. */
const KINDS = {
  'request-invalid': [400, 'The request is invalid'],
  'values-invalid': [400, 'The values do not match the prompt'],
  'token-missing': [401, 'A token is needed'],
  'token-invalid': [401, 'The token is not valid'],
  'origin-refused': [403, 'Pages of this origin may not call the service'],
  'not-allowed': [403, 'The caller may not do this'],
  'not-found': [404, 'There is nothing here'],
  'prompt-unknown': [404, 'There is no such prompt'],
  'edition-unknown': [404, 'There is no such edition'],
  'method-wrong': [405, 'This address does not take the method'],
  'request-running': [409, 'The same request is still running'],
  'body-too-large': [413, 'The body is too large'],
  'content-type': [415, 'The body must be JSON'],
  'host-refused': [421, 'This host name is not served'],
  'key-reused': [422, 'The idempotency key belongs to another request'],
  'reply-unusable': [422, 'The reply cannot be used'],
  'screen-stopped': [422, 'A screen refused the request'],
  'rate-limited': [429, 'Too many requests'],
  'budget-spent': [429, 'The tokens of the day are spent'],
  internal: [500, 'The service failed'],
  'model-failed': [502, 'The model did not answer'],
  unavailable: [503, 'The service cannot do this now'],
  'model-timeout': [504, 'The model took too long'],
} as const

/** The kind of a refusal: the last part of its `type`. */
export type FaultKind = keyof typeof KINDS

export interface FaultOptions extends ErrorOptions {
  readonly problems?: readonly Problem[]
  /** The values that the paths of the problems lead into. */
  readonly values?: unknown
  /** Seconds after which a retry can help. */
  readonly retryAfter?: number
}

/**
 * Why a request is refused: a kind, one sentence, and the problems behind it.
 *
 * @example
 * new ServiceFault('rate-limited', 'desk may send 60 requests a minute', { retryAfter: 4 }).status // => 429
 */
export class ServiceFault extends Error {
  override readonly name: string = 'ServiceFault'

  constructor(
    readonly kind: FaultKind,
    message: string,
    readonly options: FaultOptions = {},
  ) {
    super(message, options)
  }

  get status(): number {
    return KINDS[this.kind][0]
  }

  /** The body of an answer, as RFC 9457 has it. */
  get details(): ProblemDetails {
    const { problems = [], values } = this.options
    return {
      type: `urn:dunelight:${this.kind}`,
      title: KINDS[this.kind][1],
      status: this.status,
      detail: secrets.redact(this.message),
      ...(problems.length > 0 && { problems: problems.map((p) => shown(p, values)) }),
    }
  }
}

/** An error as `application/problem+json`. */
export interface ProblemDetails {
  readonly type: string
  readonly title: string
  readonly status: number
  readonly detail: string
  readonly problems?: readonly ShownProblem[]
}

/** One problem of a refusal. */
export interface ShownProblem {
  readonly code: string
  readonly message: string
  readonly help?: string
  /** Where in `values`, as a JSON Pointer. */
  readonly pointer?: string
}

/** A refused request for anything that was thrown. What is unexpected is told to the operator alone. */
export function faultOf(thrown: unknown, unexpected: (fault: unknown) => void): ServiceFault {
  if (thrown instanceof ServiceFault) return thrown
  if (thrown instanceof ProblemError) return new ServiceFault('unavailable', thrown.message, { problems: thrown.problems, cause: thrown })
  unexpected(thrown)
  return new ServiceFault('internal', 'the service failed; its log says why', { cause: thrown })
}

function shown(p: Problem, values: unknown): ShownProblem {
  const { code, message, hint } = problemRecord(p)
  const pointer = pointerOf(p, values)
  return {
    code,
    message: secrets.redact(message),
    ...(hint !== undefined && { help: secrets.redact(hint) }),
    ...(pointer !== undefined && { pointer }),
  }
}

/** The place that a problem names as a JSON Pointer (RFC 6901). Its own paths count the items of lists from 1. */
function pointerOf({ data }: Problem, values: unknown): string | undefined {
  const path = 'path' in data ? data.path : 'name' in data && 'known' in data ? data.name : undefined
  if (typeof path !== 'string' || path === '' || values === undefined) return undefined
  let place: unknown = values
  let pointer = ''
  for (let rest = path; rest !== '';) {
    const step = stepOf(rest, place)
    rest = rest.slice(step.length + 1)
    const name = Array.isArray(place) && /^\d+$/.test(step) ? String(Number(step) - 1) : step
    pointer += `/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`
    place = typeof place === 'object' && place !== null ? new Map<string, unknown>(Object.entries(place)).get(name) : undefined
  }
  return pointer
}

/** The first step of a path; a key may have dots of its own. */
function stepOf(path: string, place: unknown): string {
  const keys = typeof place === 'object' && place !== null && !Array.isArray(place) ? Object.keys(place) : []
  const longest = keys.filter((key) => path === key || path.startsWith(`${key}.`)).sort((a, b) => b.length - a.length)[0]
  return longest ?? defined(path.split('.')[0])
}
