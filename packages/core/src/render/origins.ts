import { defined } from '../invariant.js'
import type { TextOrigin, OriginKind, Trace, Via } from './trace.js'
import type { Place, Span } from '../source/source.js'

/** A use that led to a span: the snippet, persona, example set or output, and where it is used. */
export interface Within {
  readonly what: 'snippet' | 'persona' | 'example' | 'output'
  readonly name: string
  readonly place: Place
}

/** The origin of a span of a turn's text. The spans of a turn tile its text. */
export interface Origin {
  readonly start: number
  readonly end: number
  readonly kind: OriginKind
  /** The value's path in the values, `item.materials.2`. */
  readonly path: string | undefined
  /** The format that wrote it. */
  readonly format: string | undefined
  /** The place in the file of what wrote it: the fixed text, the slot, the directive. */
  readonly place: Place
  readonly span: Span
  /** The uses that led here, innermost first. */
  readonly within: readonly Within[]
}

export function originsOf(trace: Trace): Origin[] {
  const origins: Origin[] = []
  let start = 0
  trace.ends.forEach((end, i) => {
    const { kind, span, path, format, via } = defined(trace.sources[i])
    const last = origins.at(-1)
    const pathText = path && pathOf(path, trace.loopsOf(i))
    // Spans of one value that only a continuation separated are joined again.
    if (last && last.span === span && last.kind === kind && last.path === pathText) origins[origins.length - 1] = { ...last, end }
    else origins.push({ start, end, kind, path: pathText, format, span, place: span.source.place(span.start), within: withinOf(via) })
    start = end
  })
  return origins
}

function pathOf(path: NonNullable<TextOrigin['path']>, loops: readonly number[]): string {
  return path.map((step) => (typeof step === 'string' ? step : String(loops[step.loop] ?? 1))).join('.')
}

function withinOf(via: Via | undefined): Within[] {
  const within: Within[] = []
  for (let use = via; use; use = use.outer) within.push({ what: use.what, name: use.name, place: use.span.source.place(use.span.start) })
  return within
}
